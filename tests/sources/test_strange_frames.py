"""Strange but legal data goes through: wide integers, far dates, decimals, unused levels."""

import datetime as dt
import decimal
import math

import numpy as np
import pandas as pd
import polars as pl
import pyarrow as pa
import pyarrow.compute as pc
import pytest

import nachsicht


def column_of(data, **options):
    return nachsicht.profile(data, **options).document.columns[0]


def test_integers_beyond_64_bits_are_kept_as_what_they_can_be():
    big = column_of(pa.table({"n": pa.array([2**63 + 5, 7], pa.uint64())}))
    assert big.stats.maximum == 2**63 + 5
    object_column = column_of(pd.DataFrame({"n": [2**70, 2**70 + 1, 5] * 3}))
    assert object_column.distinct == 3


def test_dates_before_1677_and_after_2262():
    days = [dt.date(1066, 10, 14), dt.date(9999, 12, 31)]
    column = column_of(pa.table({"d": days}))
    assert (column.stats.minimum, column.stats.maximum) == ("1066-10-14", "9999-12-31")
    stamps = pa.array(days).cast(pa.timestamp("s"))
    assert column_of(pa.table({"d": stamps})).stats.minimum == "1066-10-14 00:00:00"
    far = column_of(pa.table({"d": pa.array([-(2**50), 2**50], pa.timestamp("s"))}))
    assert far.stats.minimum.startswith("year -")


def test_time_zones_count_by_their_own_clock():
    noon = pa.array([dt.datetime(2025, 7, 1, 10, 0)], pa.timestamp("us")).cast(
        pa.timestamp("us", "Europe/Berlin")
    )
    detail = column_of(pa.table({"at": noon})).stats
    assert detail.time_zone == "Europe/Berlin"
    assert detail.by_hour.index(1) == 12


def test_decimals_categories_with_unused_levels_and_booleans_with_gaps():
    prices = [decimal.Decimal("1.10"), decimal.Decimal("2.30"), None]
    assert column_of(pa.table({"p": prices})).stats.mean == pytest.approx(1.7)
    temper = pd.Categorical(["calm", "wild", "calm"], categories=["calm", "wild", "unused"])
    column = column_of(pd.DataFrame({"temper": temper}))
    assert [level.value for level in column.stats.levels] == ["calm", "wild"]
    flag = column_of(pd.DataFrame({"seen": [True, None, False]}, dtype="boolean"))
    assert (flag.kind, flag.missing) == ("flag", 1)


@pytest.mark.parametrize(
    "values", [[float("nan")] * 3, [None, None], [math.inf, -math.inf], [5e-324, 1.8e-308]]
)
def test_columns_of_nothing_but_edges(values):
    data = pa.table({"x": pa.array(values, pa.float64())})
    result = nachsicht.profile(data)
    assert result.document.columns[0].rows == len(values)
    assert result.to_html()
    assert nachsicht.compare(data, data).findings == ()


def test_a_multi_index_and_repeated_names(page_data):
    index = pd.MultiIndex.from_tuples([("a", 1), ("b", 2)], names=["place", "year"])
    frame = pd.DataFrame([[1, 2], [3, 4]], columns=["x", "x"], index=index)
    names = [c.name for c in nachsicht.profile(frame).document.columns]
    assert names == ["place", "year", "x", "x"]
    assert nachsicht.compare(frame, frame).findings == ()
    columns = page_data(nachsicht.profile(frame).to_html())["columns"]
    assert [c["versions"][0]["typical"] for c in columns[2:]] == ["2", "3"]


def test_an_index_is_a_column_only_if_it_says_something():
    frame = pd.DataFrame({"x": [3, 1, 2]})
    names = {
        "shuffled": frame.sort_values("x"),
        "dates": frame.set_index(pd.date_range("2025-01-01", periods=3)),
        "named": frame.rename_axis("hive"),
    }
    found = {k: [c.name for c in nachsicht.profile(f).document.columns] for k, f in names.items()}
    assert found == {"shuffled": ["x"], "dates": ["index", "x"], "named": ["hive", "x"]}


def test_every_type_of_polars_goes_through():
    frame = pl.DataFrame(
        {
            "i8": pl.Series([1, None, 3], dtype=pl.Int8),
            "enum": pl.Series(["a", "b", "a"], dtype=pl.Enum(["a", "b", "c"])),
            "cat": pl.Series(["a", "b", None], dtype=pl.Categorical),
            "list": [[1, 2], [], None],
            "struct": [{"x": 1, "y": "a"}, {"x": 2, "y": None}, {"x": 3, "y": "c"}],
            "time": [dt.time(8), dt.time(9, 30), None],
            "stay": [dt.timedelta(days=1), None, dt.timedelta(hours=3)],
            "binary": [b"ab", b"", None],
            "null": [None, None, None],
        }
    )
    columns = {c.name: c for c in nachsicht.profile(frame).document.columns}
    kinds = {name: str(column.kind) for name, column in columns.items()}
    assert kinds == {
        "i8": "quantity", "enum": "category", "cat": "category", "list": "nested",
        "struct": "nested", "time": "datetime", "stay": "duration", "binary": "nested",
        "null": "empty",
    }  # fmt: skip
    assert columns["list"].stats.lengths.mean == 1
    assert columns["list"].stats.empty == 1
    assert columns["struct"].stats.fields == ("x", "y")
    assert columns["stay"].stats.maximum == 86_400
    assert columns["struct"].missing == 0


@pytest.mark.parametrize("rows", [30, 12_000])
def test_rows_of_nested_texts_of_polars_are_shown_and_drawn(rows):
    frame = pl.DataFrame(
        {
            "seen": [["calm", "queen"], [], None] * (rows // 3),
            "by": [{"name": "Ida", "tags": ["a"]}, {"name": None, "tags": []}, None] * (rows // 3),
            "mood": pl.Series(["calm", None, "wild"] * (rows // 3), dtype=pl.Categorical),
            "pair": pl.Series(
                [["a", "b"], None, ["c", "d"]] * (rows // 3), dtype=pl.Array(pl.String, 2)
            ),
        }
    )
    document = nachsicht.profile(frame).document
    assert document.duplicates.duplicate_rows == rows - 3
    assert document.duplicates.groups[0].cells[0] == "['calm', 'queen']"
    assert [str(column.kind) for column in document.columns] == [
        "nested", "nested", "category", "nested",
    ]  # fmt: skip
    assert document.columns[2].missing == rows // 3


def test_maps_of_texts_go_through():
    kind = pa.map_(pa.string_view(), pa.binary_view())
    table = pa.table({"by": pa.array([[("Ida", b"1")], [("Ida", b"1")], None], kind)})
    document = nachsicht.profile(table).document
    assert document.duplicates.duplicate_rows == 1
    assert document.columns[0].missing == 1
    assert document.columns[0].stats.lengths.mean == 1


def test_runs_are_told_as_the_values_that_they_stand_for():
    moods = ["calm", "calm", "wild", None, None, "calm"] * 4
    plain = pa.array(moods)
    runs = pa.table({"mood": pc.run_end_encode(plain)})
    found, expected = column_of(runs), column_of(pa.table({"mood": plain}))
    assert found == expected


def test_marks_for_missing_are_what_settings_say():
    table = pa.table({"t": ["calm", "?", "wild"], "n": [5, -1, 7], "x": [0.5, -1.0, 2.5]})
    columns = nachsicht.profile(table, na_values=["?", "-1"]).document.columns
    assert [column.missing for column in columns] == [1, 1, 1]
    assert columns[1].stats.minimum == 5


@pytest.mark.parametrize("memory", [0, 1_000_000])
def test_marks_for_missing_hold_in_every_batch_and_for_gaps(memory):
    n = 600_000
    marked = np.arange(n) % 10 == 0
    table = pa.table(
        {
            "x": np.where(marked, -99, np.random.default_rng(1).normal(size=n)),
            "t": np.where(marked, "?", np.arange(n).astype(str)),
            "hive": pa.array(np.where(np.arange(n) % 20, "oak", "pine")).dictionary_encode(),
        }
    )
    document = nachsicht.profile(table, na_values=["-99", "?"], memory_bytes=memory).document
    assert [c.missing for c in document.columns] == [60_000, 60_000, 0]
    assert document.columns[0].stats.minimum > -99
    assert document.columns[1].first_value == "1"
    gaps = next(g for g in document.missing_by_level if g.column == "x")
    assert dict(zip(gaps.levels, gaps.missing, strict=True))["pine"] == 30_000


@pytest.mark.parametrize("missing", [["calm", None], [None, None]])
def test_levels_of_several_pieces_are_marked_and_may_be_missing(missing):
    pieces = [
        pa.DictionaryArray.from_arrays(
            pa.array([0, 1, None, 1], pa.int8()), pa.array(levels, pa.string())
        )
        for levels in (["calm", "none"], missing)
    ]
    found = column_of(pa.table({"mood": pa.chunked_array(pieces)}), na_values=("none",))
    calm = 1 + missing.count("calm")
    assert found.distinct == 1
    assert found.missing == 8 - calm
    assert [(level.value, level.count) for level in found.top_values] == [("calm", calm)]


def test_a_batch_without_values_does_not_change_what_a_stream_takes_a_column_for():
    n = 400_000
    ids = pa.array(np.arange(n), mask=np.arange(n) >= n // 2)
    column = column_of(pa.table({"check_id": ids}), memory_bytes=500_000)
    assert column.error_bounds is not None
    assert (column.kind, column.missing) == ("identifier", n // 2)
    quantity = column_of(pa.table({"n": pa.array(np.arange(n) * 7, mask=np.arange(n) < n // 2)}),
                         memory_bytes=500_000)  # fmt: skip
    assert (quantity.stats.minimum, quantity.stats.all_integers) == (n // 2 * 7, True)
    assert isinstance(quantity.stats.minimum, int)


def test_wide_tables_keep_their_order():
    table = pa.table({f"c{i}": np.arange(5) + i for i in range(700)})
    columns = nachsicht.profile(table).document.columns
    assert [c.name for c in columns] == table.column_names
    assert columns[699].stats.minimum == 699
