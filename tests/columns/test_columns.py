"""Kinds, texts, categories, moments and identifiers."""

import datetime as dt
import uuid

import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import nachsicht
from nachsicht.columns.accumulate import finish_column, observe_column
from nachsicht.config.settings import Settings
from nachsicht.model.kinds import Kind, KindReason

DAY = dt.date(2025, 3, 1)
SENTENCES = [f"the bees of hive {i} are well today" for i in range(60)]


def column_of(values, name="value", stored=None):
    array = values if isinstance(values, pa.Array) else pa.array(values, stored)
    return finish_column(observe_column(array), name, 0, Settings())


@pytest.mark.parametrize(
    ("values", "name", "kind", "reason"),
    [
        ([1.5, 2.5, None], "weight", Kind.QUANTITY, KindReason.NUMBERS),
        ([3, 1, 2, 2], "mites", Kind.QUANTITY, KindReason.NUMBERS),
        ([0, 1, 1, None], "seen", Kind.FLAG, KindReason.ZERO_AND_ONE),
        ([True, False], "seen", Kind.FLAG, KindReason.TRUE_AND_FALSE),
        (["Yes", "no", "no"], "seen", Kind.FLAG, KindReason.PAIR_OF_WORDS),
        (["calm", "wild"] * 9, "temper", Kind.CATEGORY, KindReason.FEW_LEVELS),
        ([DAY, None], "day", Kind.DATETIME, KindReason.DATES),
        (["2025-03-01", "2025-04-01"], "day", Kind.DATETIME, KindReason.DATES_AS_TEXT),
        (["1.5", " 2", "-3e2"], "weight", Kind.QUANTITY, KindReason.NUMBERS_AS_TEXT),
        (["01234", "98765", "04711"] * 9, "postcode", Kind.CATEGORY, KindReason.FEW_LEVELS),
        ([str(uuid.uuid5(uuid.NAMESPACE_DNS, str(i))) for i in range(40)], "key",
         Kind.IDENTIFIER, KindReason.ALL_DIFFERENT_CODES),
        (list(range(1000, 1100)), "check", Kind.IDENTIFIER, KindReason.COUNTED_UP),
        ([i % 90 for i in range(300)], "hive_id", Kind.IDENTIFIER, KindReason.ALL_DIFFERENT_CODES),
        ([f"H-{i % 99:04d}" for i in range(999)], "hive", Kind.IDENTIFIER,
         KindReason.CODES_OF_ONE_SHAPE),
        (SENTENCES, "note", Kind.TEXT, KindReason.WRITTEN_WORDS),
        ([None, None], "note", Kind.EMPTY, KindReason.NO_VALUES),
        ([[1, 2], []], "frames", Kind.NESTED, KindReason.STORED_NESTED),
        ([dt.timedelta(hours=2)], "stay", Kind.DURATION, KindReason.LENGTHS_OF_TIME),
    ],
)  # fmt: skip
def test_kinds_are_told_with_their_reason(values, name, kind, reason):
    column = column_of(values, name)
    assert (column.kind, column.kind_reason) == (kind, reason)


@pytest.mark.parametrize(
    ("texts", "values", "unit"),
    [
        (["1,234.5", "12", "1,000,000"], [12, 1234.5, 1_000_000], None),
        (["1.234,5", "12,25", "7"], [7, 12.25, 1234.5], None),
        (["1 234", "5 678 901"], [1234, 5_678_901], None),
        (["12 kg", "3.5 kg"], [3.5, 12], "kg"),
        (["€ 1.200,50", "€ 3,00"], [3, 1200.5], "€"),
        (["$1,200", "$35"], [35, 1200], "$"),
        (["12,5 %", "3 %"], [3, 12.5], "%"),
        (["-3.1°C", "21.4°C"], [-3.1, 21.4], "°C"),
    ],
)
def test_written_numbers_are_summarised_as_what_they_mean(texts, values, unit):
    column = column_of(texts * 3)
    assert (column.kind, column.unit) == (Kind.QUANTITY, unit)
    assert column.kind_reason is KindReason.WRITTEN_NUMBERS
    assert [end.value for end in column.stats.lowest] == values


@pytest.mark.parametrize(
    ("texts", "name"),
    [
        (["01234", "98765"], "place"),
        (["+49 170 1234567", "+49 171 7654321"], "call"),
        (["030 123456", "040 765432"], "call"),
        (["12A", "13B"], "seat"),
        (["12 kg", "3 lb"], "weight"),
        (["1234567890123456789", "1234567890123456780"], "account"),
        ([12345, 54321, 10115], "postcode"),
        ([1512345, 1512346], "phone"),
    ],
)
def test_codes_are_no_quantities(texts, name):
    assert column_of(texts * 15, name).kind in (Kind.CATEGORY, Kind.IDENTIFIER)


@pytest.mark.parametrize(
    ("texts", "first"),
    [
        (["31.12.2024", "01.02.2025"], "2024-12-31"),
        (["12/31/2024", "02/01/2025"], "2024-12-31"),
        (["31/12/2024", "01/02/2025"], "2024-12-31"),
        (["31 Dec 2024", "01 Feb 2025"], "2024-12-31"),
        (["31.12.2024 08:30", "01.02.2025 09:00"], "2024-12-31 08:30:00"),
    ],
)
def test_dates_in_the_usual_orders_are_moments(texts, first):
    column = column_of(texts)
    assert (column.kind, column.stats.minimum) == (Kind.DATETIME, first)


def test_prices_that_all_differ_stay_a_quantity():
    values = [(i * 7919) % 100_003 for i in range(500)]
    assert column_of(values, "price").kind is Kind.QUANTITY


@given(st.lists(st.none() | st.sampled_from(["calm", "Calm", "wild", "", "é", "\u0000x"])))
def test_levels_agree_with_pandas(values):
    column = column_of(values, stored=pa.string())
    expected = pd.Series(values, dtype=object).value_counts()
    assert column.distinct == len(expected)
    assert column.missing == values.count(None)
    assert column.unique_once == (expected == 1).sum()
    assert {level.value: level.count for level in column.top_values} == expected.to_dict()
    counts = [level.count for level in column.top_values]
    assert counts == sorted(counts, reverse=True)
    assert [level.count for level in column.rare_values] == sorted(counts)


@given(st.lists(st.sampled_from(["a", "b", "c", "dd", None]), max_size=40), st.integers(0, 40))
def test_levels_of_two_batches_are_those_of_one(values, cut):
    parts = [observe_column(pa.array(v, pa.string())) for v in (values[:cut], values[cut:])]
    split = finish_column(parts[0].merge(parts[1]), "v", 0, Settings())
    assert split.top_values == column_of(values, "v", pa.string()).top_values


def test_spellings_that_look_alike_are_grouped():
    values = ["calm"] * 5 + ["Calm "] * 2 + ["café"] * 2 + ["CAFE"] + ["wild"] * 9
    groups = column_of(values).stats.similar_levels
    assert {frozenset(level.value for level in group) for group in groups} == {
        frozenset({"calm", "Calm "}),
        frozenset({"café", "CAFE"}),
    }


def test_evenness_is_one_for_equal_levels_and_small_for_one_that_rules():
    assert column_of(["a", "b", "c"] * 10).stats.evenness == pytest.approx(1)
    assert column_of(["a"] * 999 + ["b"]).stats.evenness == pytest.approx(0.0114, abs=1e-4)


@pytest.mark.parametrize(
    "stored", [pa.timestamp("s"), pa.timestamp("ms"), pa.timestamp("ns", "UTC")]
)
def test_moments_count_by_day_whatever_their_unit(stored):
    start = dt.datetime(2025, 1, 30, 12)
    values = pa.array([start + dt.timedelta(days=d) for d in (0, 0, 3, 40)]).cast(
        pa.timestamp("us")
    )
    detail = column_of(
        values.cast(pa.timestamp("us", getattr(stored, "tz", None))).cast(stored)
    ).stats
    assert (detail.unit, detail.minimum[:10], detail.maximum[:10]) == (
        "day",
        "2025-01-30",
        "2025-03-11",
    )
    assert [i for i, n in enumerate(detail.counts) if n] == [0, 3, 40]
    assert detail.counts[0] == 2
    assert detail.span_days == 40


def test_long_spans_count_by_month_and_year():
    months = column_of([dt.date(2000, 1, 1), dt.date(2010, 6, 30)]).stats
    assert (months.unit, len(months.counts)) == ("month", 126)
    years = column_of([dt.date(1500, 1, 1), dt.date(2400, 6, 30)]).stats
    assert (years.unit, len(years.counts), years.minimum) == ("year", 901, "1500-01-01")


def test_times_of_day_are_moments_on_a_clock():
    detail = column_of([dt.time(8, 30), dt.time(17, 5, 9)]).stats
    assert detail.time_of_day
    assert (detail.minimum, detail.maximum) == ("08:30:00", "17:05:09")


def test_identifiers_have_shapes_and_repeats_but_no_mean():
    detail = column_of([f"H-{i:04d}" for i in range(60)] + ["H-0001", "ß-1"], "hive_id").stats
    assert [(level.value, level.count) for level in detail.patterns] == [("A-9999", 61), ("a-9", 1)]
    assert (detail.duplicate_values, detail.duplicate_rows) == (1, 2)
    assert not hasattr(detail, "mean")


def test_texts_are_measured_in_characters_and_words():
    detail = column_of([*SENTENCES, "   ", "für  die Bienen ist es zu kühl"]).stats
    assert detail.blank == 1
    assert detail.char_count.maximum == max(map(len, SENTENCES))
    assert detail.word_count.minimum == 0
    assert detail.word_count.median == 8


def test_first_and_last_present_values_are_kept():
    column = column_of([None, 2.0, 3.25, float("nan")])
    assert (column.first_value, column.last_value) == ("2", "3.25")


def test_types_that_others_added_to_arrow_are_what_they_are_stored_as():
    names = pa.array([*(uuid.UUID(int=i).bytes for i in range(1, 30)), None], pa.binary(16))
    names = pa.ExtensionArray.from_storage(pa.uuid(), names)
    flags = pa.ExtensionArray.from_storage(pa.bool8(), pa.array([1, 0, None] * 10, pa.int8()))
    texts = pa.array(["[]", "{}"] * 15)
    if hasattr(pa, "json_"):  # from PyArrow 19 on
        texts = pa.ExtensionArray.from_storage(pa.json_(), texts)
    table = pa.table({"id": names, "flag": flags, "json": texts})
    assert isinstance(table.schema.field("id").type, pa.UuidType)
    for memory in (0, 1000):
        found = nachsicht.profile(table, memory_bytes=memory).document
        assert found.column("id").first_value == "00000000-0000-0000-0000-000000000001"
        assert (found.column("id").missing, found.column("id").distinct) == (1, 29)
        assert (found.column("flag").missing, found.column("flag").kind) == (10, "flag")
        assert found.column("json").distinct == 2
