"""Imports only go down from layer to layer; nothing heavy is loaded before it is used."""

import ast
import os
import re
import subprocess
import sys
from pathlib import Path

import pytest

import nachsicht
from nachsicht import kernels
from nachsicht.kernels import compiled

ROOT = Path(nachsicht.__file__).parent
#: The list of packages is that of the contributors' guide, from the ground up: a line each.
GUIDE = Path(__file__).parents[1] / "CONTRIBUTING.md"
LAYERS = [
    re.findall(r"`(\w+)", line.split("|")[1])
    for line in GUIDE.read_text().split("## Where things are")[1].split("\n## ")[0].splitlines()
    if line.startswith("| `")
]
HEIGHT = {package: height for height, layer in enumerate(LAYERS) for package in layer}
MODULES = sorted(path for path in ROOT.rglob("*.py"))
#: Files that a folder may hold, its own description apart.
MOST_FILES = 16


def package_of(module: str) -> str:
    """The part right under the package: ``nachsicht.stats.histogram`` is in ``compute``."""
    parts = module.split(".")
    return parts[1] if len(parts) > 1 else "__init__"


def name_of(path: Path) -> str:
    parts = path.relative_to(ROOT.parent).with_suffix("").parts
    return ".".join(part for part in parts if part != "__init__")


def imports_of(path: Path) -> set[str]:
    """All modules of ours that a file imports, inside functions and for typing too."""
    found = set()
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ImportFrom) and (node.module or "").split(".")[0] == "nachsicht":
            found |= {f"{node.module}.{alias.name}" for alias in node.names}
        elif isinstance(node, ast.Import):
            found |= {a.name for a in node.names if a.name.split(".")[0] == "nachsicht"}
    names = {name_of(module) for module in MODULES}
    return {name if name in names else name.rpartition(".")[0] for name in found}


def test_the_guide_lists_every_package_and_nothing_else():
    assert {package_of(name_of(path)) for path in MODULES} == set(HEIGHT)


@pytest.mark.parametrize("path", MODULES, ids=name_of)
def test_imports_go_down(path):
    here = package_of(name_of(path))
    for module in imports_of(path):
        there = package_of(module)
        # The public names stand at the top, but these may use them as users do.
        if there == here or (here in ("cli", "demo", "pytest_plugin") and there == "__init__"):
            continue
        assert HEIGHT[there] < HEIGHT[here], f"{name_of(path)} imports {module}"


def test_no_folder_is_too_full_to_find_anything():
    folders = {path.parent for path in MODULES}
    assert {str(f) for f in folders if len([*f.glob("*.py")]) - 1 > MOST_FILES} == set()


def test_no_circles():
    graph = {name_of(path): imports_of(path) for path in MODULES}
    done: set[str] = set()

    def visit(module: str, way: tuple[str, ...]) -> None:
        assert module not in way, " → ".join((*way, module))
        if module in done:
            return
        for other in graph.get(module, ()):
            if other not in (module, "nachsicht"):
                visit(other, (*way, module))
        done.add(module)

    for module in graph:
        visit(module, ())


def test_no_package_is_called_like_a_public_function():
    names = {path.stem for path in ROOT.iterdir()}
    assert names.isdisjoint({"profile", "compare", "read", "utils"})


def test_importing_the_package_loads_nothing_heavy():
    heavy = ["numpy", "pyarrow", "scipy", "pandas", "matplotlib", "click", "rich", "msgspec"]
    code = f"import sys, nachsicht; print([m for m in {heavy} if m in sys.modules])"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


def test_what_opens_data_waits_for_nothing_that_computes():
    computing = [
        "numpy",
        "pyarrow",
        "nachsicht.pipeline.lazy_comparison",
        "nachsicht.engines.in_memory",
    ]
    code = (
        f"import sys, nachsicht.pipeline.run; print([m for m in {computing} if m in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"


@pytest.mark.parametrize(
    ("call", "heavy"),
    [
        ("compare(*sys.argv[1:])", ["pandas", "polars", "matplotlib", "scipy.stats"]),
        ("profile(sys.argv[1])", ["pandas", "scipy", "pyarrow.dataset", "rich"]),
        ("profile(sys.argv[1], memory_bytes=100_000)", ["pandas", "scipy", "rich"]),
    ],
)
def test_what_is_not_needed_is_not_loaded(call, heavy, demo_files):
    files = [str(demo_files[f"hive_checks_{year}.csv"]) for year in (2024, 2025)]
    code = (
        f"import sys, nachsicht; nachsicht.{call}.to_html();"
        f"print([m for m in {heavy if kernels.COMPILED else heavy[:1]} if m in sys.modules])"
    )
    done = subprocess.run(
        [sys.executable, "-c", code, *files], capture_output=True, text=True, check=True
    )
    assert done.stdout.strip() == "[]"


def test_all_that_is_to_be_compiled_is_used_where_it_is_built():
    sources = {source.stem for source in ROOT.rglob("*.pyx")}
    assert sources in (set(compiled.MODULES), set())  # a wheel has none
    assert (compiled.is_built() and os.environ.get("NACHSICHT_PLAIN") != "1") == kernels.COMPILED
    for module in compiled.MODULES if kernels.COMPILED else ():
        assert Path(getattr(kernels, module).__file__).suffix in (".so", ".pyd")


def test_files_that_the_guides_name_are_there():
    guides = [*GUIDE.parent.glob("docs/*.md"), GUIDE, GUIDE.parent / "README.md"]
    named = {
        (guide.name, path)
        for guide in guides
        for path in re.findall(r"`((?:[\w.-]+/)+[\w.-]*)`", guide.read_text())
        if path.split("/")[0] in HEIGHT or path.endswith(".py")
    }
    assert len(named) > 20
    there = [place / f"{path}" for place in (GUIDE.parent, ROOT) for _, path in named]
    known = {str(path) for path in there if path.exists() or path.with_suffix(".py").exists()}
    assert {n for n in named if not {str(GUIDE.parent / n[1]), str(ROOT / n[1])} & known} == set()
