"""What nobody expects in data, options and settings ends in a result or in one line."""

import json
import os
import re
import subprocess
import sys
import warnings

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest

import nachsicht

RNG = np.random.default_rng(8)
N = 300


def everything(result):
    """All that is made of a result, without a warning."""
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        html = result.to_html()
        document = json.loads(result.to_json(), parse_constant=pytest.fail)
        assert result.to_markdown() and str(result) and result.remedies()
        assert type(result)(result._across).document == result.document
    assert not re.search(r"\b(NaN|Infinity)\b", html.split('id="nachsicht-data"')[0])
    return document


def years():
    frame = pd.DataFrame(RNG.normal(size=(N, 140)), columns=[str(y) for y in range(1883, 2023)])
    frame[RNG.random((N, 140)) < 0.1] = np.nan
    frame[RNG.random(N) < 0.2] = np.nan
    return frame


class Silent:
    """Does not say what it is."""

    def __repr__(self):
        raise RuntimeError("never")


def deep(levels):
    array = pa.array([1, 2, 3] * 20)
    for _ in range(levels):
        array = pa.StructArray.from_arrays([array], ["x"])
    return pa.table({"a": array, "b": range(60)})


TABLES = {
    "years as columns": years,
    "lists alone": lambda: pa.table({"a": pa.array([[1], [1], [2]] * 20)}),
    "bytes alone": lambda: pa.table({"a": pa.array([b"\x00\xff", b"a", b"a"] * 20)}),
    "one different row": lambda: pd.DataFrame({"a": ["x"] * 30_000, "b": [1] * 30_000}),
    "three different rows": lambda: pd.DataFrame({"a": [1, 2, 3] * 9_999, "b": [*"xyx"] * 9_999}),
    "objects that do not print": lambda: pd.DataFrame({"a": [Silent(), 1, "x"] * 20}),
    "deep records": lambda: deep(30),
    "no column": lambda: pa.table({}),
    "no row": lambda: pd.DataFrame({"a": [], "b": []}),
}  # fmt: skip


@pytest.mark.slow
@pytest.mark.parametrize("make", TABLES.values(), ids=TABLES)
@pytest.mark.parametrize("settings", [{}, {"memory_bytes": 100_000}], ids=["memory", "pieces"])
def test_odd_tables_give_a_whole_page(make, settings):
    table = make()
    everything(nachsicht.profile(table, **settings))
    everything(nachsicht.compare(table, table, **settings))


NUMBERS = {
    "largest": [1.7e308, -1.7e308, 1e308, 5, 3] * 60,
    "smallest": [5e-324, 1e-310, 2e-308, 0, 1] * 60,
    "infinite": [np.inf, -np.inf, 1, 2, np.nan] * 60,
    "all infinite": [np.inf] * N,
    "wide": list(np.linspace(-1.7, 1.7, N) * 1e308),
    "1e300": list(RNG.normal(size=N) * 1e300),
    "1e155": list(RNG.normal(size=N) * 1e155),
}


@pytest.mark.parametrize("values", NUMBERS.values(), ids=NUMBERS)
@pytest.mark.parametrize("outcome", ["kg", "temper"])
def test_numbers_near_the_limits_of_floats(values, outcome):
    frame = pd.DataFrame({"kg": values, "mites": RNG.normal(size=N), "temper": ["a", "b"] * 150})
    everything(nachsicht.profile(frame, outcome=outcome))
    everything(nachsicht.compare(frame, frame.assign(kg=frame["kg"] * 0.5), outcome=outcome))
    large = pd.concat([frame] * 50)
    everything(nachsicht.profile(large, outcome=outcome, memory_bytes=100_000))


@pytest.mark.parametrize("bound", [np.minimum, np.maximum])
def test_what_is_clipped_is_told_on_page_and_document(bound):
    before = pd.DataFrame({"kg": RNG.normal(50, 10, 3000)})
    after = pd.DataFrame({"kg": bound(RNG.normal(50, 10, 3000), 55)})
    changes = nachsicht.compare(before, after)
    everything(changes)
    assert [finding.code for finding in changes.findings] == ["clipped"]


NAN = float("nan")


@pytest.mark.parametrize(
    "settings",
    [
        *({name: value} for name in ("top_values", "max_levels") for value in (0, -1, 10**9)),
        *({"histogram_bins": value} for value in (0, 1, -1, 10**9)),
        *({name: -1} for name in ("max_discrete_values", "memory_bytes", "threads")),
        *(
            {name: value}
            for name in ("high_missing_share", "mostly_missing_share", "alpha")
            for value in (NAN, -1.0)
        ),
        {"alpha": 0.0},
        {"findings": {"missing_values": {"note": NAN}}},
    ],
    ids=str,
)
def test_settings_outside_of_their_range_are_refused(settings):
    with pytest.raises(nachsicht.SettingsError, match="wrong value"):
        nachsicht.profile(pd.DataFrame({"a": [1, 2, 3]}), **settings)


def run(folder, *words, **options):
    command = [sys.executable, "-m", "nachsicht", *map(str, words)]
    return subprocess.run(
        command, cwd=folder, capture_output=True, text=True, timeout=60, check=False, **options
    )


@pytest.fixture
def folder(tmp_path):
    (tmp_path / "x.csv").write_text("a,b\n" + "".join(f"{i},{i % 7}\n" for i in range(100)))
    for name, level in (("records", '{"b":'), ("lists", "[")):
        closing = "}" if name == "records" else "]"
        for depth in (100, 1_000, 100_000):
            line = '{"a":' + level * depth + "1" + closing * depth + "}"
            (tmp_path / f"{name}{depth}.jsonl").write_text("\n".join([line] * 3))
            (tmp_path / f"{name}{depth}.json").write_text(f"[{line}]")
    (tmp_path / "brackets.jsonl").write_text(json.dumps({"a": 'say "' + "[" * 500}) + "\n")
    (tmp_path / "above" / "below").mkdir(parents=True)
    (tmp_path / "above" / "below" / "x.csv").write_text("a\n1\n")
    (tmp_path / "nowhere.csv").symlink_to("gone.csv")
    return tmp_path


WRONG = {
    "delimiter of two": (("x.csv", "--delimiter", ";;"), "single ASCII character"),
    "delimiter é": (("x.csv", "--delimiter", "é"), "single ASCII character"),
    "decimal x": (("x.csv", "--decimal", "x"), "neither a point nor a comma"),
    "decimal and delimiter": (("x.csv", "--decimal", ",", "--delimiter", ","), "are the same"),
    "encoding": (("x.csv", "--encoding", "hex"), "not known"),
    "memory": (("x.csv", "--memory", "9.9.9MB"), "800MB"),
    "kind": (("x.csv", "--kind", "a"), "COLUMN=KIND"),
    "unknown option": (("x.csv", "--zzz"), "--zzz"),
    "two tables": (("x.csv", "--table", "a", "--table", "b"), "once"),
    "two sheets": (("x.csv", "--sheet", "a", "--sheet", "b"), "once"),
    "a table of a file": (("x.csv", "--table", "a"), "database"),
    "a sheet of a text": (("x.csv", "--sheet", "a"), "workbook"),
    "a folder of folders": (("above",), "below"),
    "a link to nothing": (("nowhere.csv",), "gone.csv"),
    **{
        f"{name}{depth}.{end}": ((f"{name}{depth}.{end}",), "nested")
        for name in ("records", "lists")
        for depth in (100, 1_000, 100_000)
        for end in ("json", "jsonl")
    },
}


@pytest.mark.slow
@pytest.mark.parametrize(("words", "told"), WRONG.values(), ids=WRONG)
def test_what_is_wrong_is_told_in_one_line(folder, words, told):
    done = run(folder, "profile", *words)
    assert (done.returncode, done.stdout) == (2, ""), done.stderr
    assert done.stderr.count("\n") == 1
    assert told in done.stderr
    assert "unexpected" not in done.stderr


@pytest.mark.slow
def test_what_is_odd_and_right_is_read(folder):
    for words, rows in (
        (("x.csv", "--delimiter", "\\t"), 100),
        (("brackets.jsonl",), 1),
        ((f"~/{os.path.relpath(folder / 'x.csv', folder)}",), 100),
    ):
        done = run(folder, "profile", *words, env=os.environ | {"HOME": str(folder)})
        assert done.returncode == 0, done.stderr
        assert f"{rows} rows" in done.stdout.replace("1 row ", "1 rows ")


@pytest.mark.parametrize("place", ["/dev/stdin", "-", "pipe"])
def test_pipes_are_read(folder, place):
    if place == "pipe":
        os.mkfifo(folder / "pipe")
        with subprocess.Popen(["cp", "x.csv", "pipe"], cwd=folder):
            done = run(folder, "profile", place)
    else:
        done = run(folder, "profile", place, input=(folder / "x.csv").read_text())
    assert done.returncode == 0, done.stderr
    assert "100 rows" in done.stdout
