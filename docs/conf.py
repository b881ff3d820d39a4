"""How the documentation is built: `make docs`. Nothing is fetched from anywhere."""

from nachsicht._version import VERSION

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
