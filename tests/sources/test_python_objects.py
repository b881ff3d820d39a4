"""Tables as Python programs have them give the figures of the same frame."""

import contextlib
import io
import sqlite3

import numpy as np
import pandas as pd
import polars as pl
import pyarrow as pa
import pyarrow.dataset
import pytest

import nachsicht

RNG = np.random.default_rng(12)
FRAME = pd.DataFrame(
    {
        "hive": [f"h{i % 30}" for i in range(600)],
        "mites": RNG.poisson(3, 600),
        "weight": np.where(RNG.random(600) < 0.1, np.nan, RNG.normal(30, 4, 600)),
    }
)


def records(frame):
    return frame.astype(object).where(frame.notna(), None).to_dict("records")


WAYS = {
    "list of records": records,
    "tuple of records": lambda frame: tuple(records(frame)),
    "columns of lists": lambda frame: {name: list(frame[name]) for name in frame},
    "columns of arrays": lambda frame: {name: frame[name].to_numpy() for name in frame},
    "columns of series": lambda frame: {name: frame[name] for name in frame},
    "structured array": lambda frame: frame.to_records(index=False),
    "lazy frame": lambda frame: pl.from_pandas(frame).lazy().filter(pl.col("mites") >= 0),
}


@pytest.mark.parametrize("give", WAYS.values(), ids=WAYS)
def test_objects_give_the_figures_of_the_frame(give):
    found, expected = nachsicht.profile(give(FRAME)).document, nachsicht.profile(FRAME).document
    assert found.names == expected.names
    for one, two in zip(found.columns, expected.columns, strict=True):
        assert (one.kind, one.missing, one.distinct) == (two.kind, two.missing, two.distinct)
    assert found.column("mites").stats.mean == expected.column("mites").stats.mean
    assert found.column("weight").stats.quantiles == expected.column("weight").stats.quantiles


def test_datasets_are_streamed(tmp_path):
    table = pa.Table.from_pandas(pd.concat([FRAME] * 50))
    pyarrow.dataset.write_dataset(table, tmp_path, format="parquet", max_rows_per_group=1_000,
                                  max_rows_per_file=10_000)  # fmt: skip
    held = pyarrow.dataset.dataset(tmp_path)
    expected = nachsicht.profile(table).document
    for data, options in ((held, {}), (held, {"memory_bytes": 500_000}), (held.scanner(), {})):
        found = nachsicht.profile(data, **options).document
        assert found.fingerprint == expected.fingerprint
    filtered = held.filter(pyarrow.dataset.field("mites") > 2)
    assert nachsicht.profile(filtered).document.rows == (FRAME["mites"] > 2).sum() * 50


@pytest.mark.parametrize(
    ("data", "name"),
    [
        (FRAME["mites"], "mites"),
        (pd.Series(FRAME["mites"].to_list()), "value"),
        (pl.Series("mites", FRAME["mites"].to_list()), "mites"),
        (FRAME["mites"].to_numpy(), "value"),
        (pa.array(FRAME["mites"]), "value"),
    ],
    ids=["pandas", "nameless", "Polars", "NumPy", "Arrow"],
)
def test_one_column_is_a_table(data, name):
    document = nachsicht.profile(data).document
    assert document.names == (name,)
    assert document.columns[0].stats.mean == pytest.approx(FRAME["mites"].mean())


def test_columns_of_a_matrix_are_numbered():
    document = nachsicht.profile(RNG.normal(size=(50, 3))).document
    assert document.names == ("value_0", "value_1", "value_2")


def test_columns_of_a_matrix_can_be_named():
    matrix = RNG.normal(size=(50, 2))
    document = nachsicht.profile(matrix, columns=["weight", "humidity"]).document
    assert document.names == ("weight", "humidity")
    assert document.column("humidity").stats.mean == pytest.approx(matrix[:, 1].mean())
    with pytest.raises(nachsicht.SourceError, match="3 names for 2 columns"):
        nachsicht.profile(matrix, columns=["a", "b", "c"])
    for data in (FRAME, "checks.csv"):
        with pytest.raises(nachsicht.SourceError, match="NumPy array"):
            nachsicht.profile(data, columns=["a"])


def relation(_):
    return pytest.importorskip("duckdb").from_arrow(pa.Table.from_pandas(FRAME)).filter("mites > 2")


def ibis_table(folder):
    ibis = pytest.importorskip("ibis")
    with contextlib.closing(sqlite3.connect(folder / "union.db")) as database:
        FRAME.to_sql("checks", database, index=False)
    table = ibis.sqlite.connect(folder / "union.db").table("checks")
    return table.filter(table.mites > 2)


@pytest.mark.filterwarnings("ignore:The 'future.infer_string' option")  # which Ibis sets
@pytest.mark.parametrize("options", [{}, {"memory_bytes": 4_000}], ids=["memory", "pieces"])
@pytest.mark.parametrize("give", [relation, ibis_table], ids=["DuckDB", "Ibis"])
def test_queries_are_computed_as_they_are_read(tmp_path, give, options):
    found = nachsicht.profile(give(tmp_path), **options).document
    expected = FRAME[FRAME.mites > 2]
    assert (found.names, found.rows) == (tuple(FRAME), len(expected))
    assert found.column("mites").stats.mean == pytest.approx(expected.mites.mean())
    assert found.column("weight").missing == expected.weight.isna().sum()


def test_arrays_along_axes_are_a_row_a_cell():
    xarray = pytest.importorskip("xarray")
    weights = RNG.normal(30, 4, (20, 5))
    data = xarray.Dataset(
        {"weight": (("day", "hive"), weights)},
        {"day": pd.date_range("2024-05-01", periods=20), "hive": list("abcde")},
    )
    document = nachsicht.profile(data).document
    assert ({*document.names}, document.rows) == ({"day", "hive", "weight"}, 100)
    assert document.column("weight").stats.mean == pytest.approx(weights.mean())
    assert nachsicht.profile(data["weight"]).document.rows == 100


TEXT = "hive;mites\n" + "".join(f"h{i};{i % 7}\n" for i in range(90))


@pytest.mark.parametrize("of", [str.encode, lambda t: io.BytesIO(t.encode()), io.StringIO])
def test_bytes_and_file_objects_are_read(of):
    document = nachsicht.profile(of(TEXT)).document
    assert (document.names, document.rows, document.label) == (("hive", "mites"), 90, "input")


def test_the_name_of_an_open_file_tells_its_format(tmp_path):
    FRAME.to_parquet(tmp_path / "checks.parquet")
    with (tmp_path / "checks.parquet").open("rb") as file:
        document = nachsicht.profile(file).document
    assert (document.label, document.rows) == ("checks", len(FRAME))
    assert str(tmp_path) not in document.origin.source


def test_how_data_is_read_can_be_said_by_keyword(tmp_path):
    path = tmp_path / "checks.txt"
    path.write_text(TEXT)
    one = nachsicht.profile(path, delimiter=";", header=True).document
    two = nachsicht.profile(path, reading={"delimiter": ";", "header": True}).document
    assert one.names == two.names == ("hive", "mites")
    with pytest.raises(nachsicht.SettingsError, match="delimiter"):
        nachsicht.profile(path, delimiters=";")


@pytest.mark.parametrize(
    ("data", "told"),
    [
        ({"a": [1, 2], "b": [1]}, "columns of 1 to 2 values"),
        ({"a": 1}, "a is no list of values"),
        ({"a": "text"}, "a is no list of values"),
        ({"a": {"x": 1, "y": 2}}, "a is no list of values"),
        (np.zeros((2, 2, 2)), "an array of 3 dimensions"),
        ([1, 2, 3], "cannot read a table"),
        (3, "cannot read a table"),
        ([], "cannot read a table"),
    ],
    ids=str,
)
def test_what_is_no_table_is_said(data, told):
    with pytest.raises(nachsicht.SourceError, match=told):
        nachsicht.profile(data)


def test_two_lists_are_compared():
    old = records(FRAME)
    new = [{**record, "mites": record["mites"] + 2} for record in old]
    found = nachsicht.compare(old, new)
    assert "mites" in {finding.columns[0] for finding in found.findings}
