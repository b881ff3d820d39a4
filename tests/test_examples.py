"""The examples run, and say what they should."""

import subprocess
import sys
from pathlib import Path

import pytest

COMPARED = "Four things need action before 2025 can replace 2024."
#: What those examples say that compare nothing.
SAID = {
    "described": "Not as described: at most 120 (hive_weight)",
    "weeks_of_scales": "weight_kg: all values are about 5.1 higher since w30.",
}
EXAMPLES = sorted((Path(__file__).parent.parent / "examples").glob("*.py"))


@pytest.mark.slow
@pytest.mark.parametrize("path", EXAMPLES, ids=lambda path: path.stem)
def test_an_example_runs(path):
    done = subprocess.run(
        [sys.executable, "-W", "error", path], capture_output=True, text=True, check=False
    )
    assert (done.returncode, done.stderr) == (0, "")
    assert SAID.get(path.stem, COMPARED) in done.stdout


@pytest.mark.slow
def test_the_notebook_runs_from_top_to_bottom():
    import nbformat
    from nbclient import NotebookClient

    path = Path(__file__).parent.parent / "examples" / "first_look.ipynb"
    notebook = nbformat.read(path, as_version=4)
    NotebookClient(notebook, timeout=120).execute()
    said = [cell.outputs for cell in notebook.cells if cell.cell_type == "code"]
    assert "Four things need action" in said[1][0]["text"]
    assert "Looks rescaled" in said[1][1]["data"]["text/html"]
    assert "image/png" in said[3][0]["data"]
    assert said[-1][0]["data"]["text/plain"] == "True"


def test_the_docstrings_tell_the_truth():
    import doctest

    from nachsicht import api as face

    failures, tried = doctest.testmod(face)
    assert tried >= 4
    assert failures == 0


@pytest.mark.slow
def test_a_notebook_shows_a_bar_and_takes_it_away():
    import nbformat
    from nbclient import NotebookClient

    code = (
        "import pyarrow as pa, nachsicht._util.progress, IPython.display\n"
        "nachsicht._util.progress.PATIENCE_SECONDS = 0\n"
        "shown = []\n"
        "kept = IPython.display.HTML\n"
        "IPython.display.HTML = lambda text: shown.append(text) or kept(text)\n"
        "table = pa.table({f'c{i}': range(50) for i in range(6)})\n"
        "made = nachsicht.profile(table, progress=True).document\n"
        "print(len(shown), 'value=\"5\"' in ''.join(shown), repr(shown[-1]))"
    )
    notebook = nbformat.v4.new_notebook(cells=[nbformat.v4.new_code_cell(code)])
    NotebookClient(notebook, timeout=120).execute()
    outputs = notebook.cells[0].outputs
    assert [o["data"]["text/html"] for o in outputs if o["output_type"] == "display_data"] == [""]
    assert outputs[-1]["text"] == "7 True ''\n"


@pytest.mark.slow
def test_a_notebook_shows_a_result_once_and_stays_small(demo_files):
    nbformat = pytest.importorskip("nbformat")
    from nbclient import NotebookClient

    old, new = (str(demo_files[f"hive_checks_{year}.csv"]) for year in (2024, 2025))
    cell = f"import nachsicht\nchanges = nachsicht.compare({old!r}, {new!r})\nchanges"
    notebook = nbformat.v4.new_notebook(cells=[nbformat.v4.new_code_cell(cell)])
    NotebookClient(notebook, timeout=120).execute()
    (shown,) = notebook.cells[0].outputs
    assert shown["data"]["text/html"].startswith("<iframe")
    assert "Four things need action" in shown["data"]["text/plain"]
    # The page, packed, with the rows that can be explored.
    assert len(nbformat.writes(notebook)) < 400_000
