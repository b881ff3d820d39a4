"""How the documentation is built: `make docs`. Nothing is fetched from anywhere."""

from __future__ import annotations

import tempfile
from pathlib import Path

from sphinx.application import Sphinx

import nachsicht
from nachsicht._version import VERSION
from nachsicht.demo.files import copy_files, write_weeks

project = "Nachsicht"
author = "The makers of Nachsicht"
release = VERSION
extensions = ["myst_parser", "sphinx.ext.autodoc", "sphinx.ext.napoleon"]
source_suffix = {".md": "markdown"}
exclude_patterns = ["_build"]
html_theme = "furo"
html_title = "Nachsicht"
myst_heading_anchors = 3
autodoc_member_order = "bysource"
autodoc_typehints = "none"
napoleon_google_docstring = False
nitpicky = False


def _write_pages(app: Sphinx, problem: Exception | None) -> None:
    """Beside the documentation the demo's own pages, to open and click."""
    if problem is not None or app.builder.format != "html":
        return
    folder = Path(app.outdir) / "pages"
    folder.mkdir(exist_ok=True)
    with tempfile.TemporaryDirectory() as kept:
        files = copy_files(Path(kept) / "checks")
        old, new = (files[f"hive_checks_{year}.csv"] for year in (2024, 2025))
        nachsicht.profile(new, outcome="overwintered").write(folder / "profile.html")
        compared = nachsicht.compare(old, new, outcome="overwintered", language=("en", "de"))
        compared.write(folder / "comparison.html")
        compared.share_safe().write(folder / "comparison_shared.html")
        weeks = write_weeks(Path(kept) / "scales")
        nachsicht.compare(*weeks.values()).courses().write(folder / "history.html")


def setup(app: Sphinx) -> None:
    """Sphinx calls this once."""
    app.connect("build-finished", _write_pages)
