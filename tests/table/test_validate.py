"""Rows held against a description: counts against pandas, and the same whatever the split."""

import pandas as pd
import pyarrow as pa
from hypothesis import given
from hypothesis import strategies as st

from nachsicht.model.dataset_schema import ColumnDescription, Description, Rule, StatedType
from nachsicht.table.validate import observe_breaches

TEXTS = st.lists(
    st.none() | st.sampled_from(["calm", "Calm", "12", "-3.5", "", "C-0042", "ünter", "x" * 12]),
    max_size=40,
)
NUMBERS = st.lists(st.none() | st.floats(-100, 100, width=32), max_size=40)


def breaches(values, **stated):
    """Rows that break each rule, by its name."""
    description = Description(source="", columns=(ColumnDescription(name="v", **stated),))
    found = observe_breaches(pa.table({"v": values}), description)
    return {str(rule): breach.rows for (_, rule), breach in found.found.items()}


@given(NUMBERS, st.integers(-50, 0), st.integers(1, 50))
def test_bounds_of_numbers_count_as_pandas_counts(values, low, high):
    series = pd.Series(values, dtype="float64")
    array = pa.array(values, pa.float64())
    expected = {"minimum": (series < low).sum(), "maximum": (series > high).sum()}
    assert breaches(array, minimum=low, maximum=high) == {k: n for k, n in expected.items() if n}
    expected = {"minimum": (series <= low).sum(), "maximum": (series >= high).sum()}
    found = breaches(array, minimum=low, maximum=high, above=True, below=True)
    assert found == {k: n for k, n in expected.items() if n}


@given(TEXTS)
def test_rules_of_texts_count_as_pandas_counts(values):
    series = pd.Series(values, dtype="str")
    there = series.dropna()
    expected = {
        "type": (~there.str.fullmatch(r"[+-]?\d+")).sum(),
        "levels": (~there[there.str.fullmatch(r"[+-]?\d+")].isin(["calm", "C-0042"])).sum(),
    }
    array = pa.array(values, pa.string())
    found = breaches(array, type=StatedType.WHOLE, levels=("calm", "C-0042"))
    assert found == {k: n for k, n in expected.items() if n}
    expected = {
        "length": (~there.str.len().between(3, 8)).sum(),
        "pattern": (~there.str.fullmatch(r"C-\d+|calm")).sum(),
        "levels": (~there.isin(["calm", "ünter"])).sum(),
    }
    stated = {
        "min_length": 3,
        "max_length": 8,
        "pattern": r"C-\d+|calm",
        "levels": ("calm", "ünter"),
    }
    for stored in (array, array.dictionary_encode(), array.cast(pa.large_string())):
        assert breaches(stored, **stated) == {k: n for k, n in expected.items() if n}


@given(TEXTS, st.integers(0, 40))
def test_parts_merge_to_the_whole(values, cut):
    stated = ColumnDescription(name="v", levels=("calm",), max_length=6)
    description = Description(source="", columns=(stated,))
    table = pa.table({"v": pa.array(values, pa.string())})
    parts = [observe_breaches(t, description) for t in (table.slice(0, cut), table.slice(cut))]
    assert parts[0].merge(parts[1]) == observe_breaches(table, description)


def test_dates_flags_and_codes():
    days = pd.to_datetime(["2025-03-14", "2025-03-15", "2025-10-18", None])
    for stored in (pa.date32(), pa.timestamp("us"), pa.timestamp("ns", "UTC")):
        array = pa.array(days).cast(pa.timestamp("us")).cast(stored)
        limits = {"minimum": "2025-03-15", "maximum": "2025-10-17"}
        assert breaches(array, type=StatedType.DATE, **limits) == {"minimum": 1, "maximum": 1}
    assert breaches(["2025-03-14", "14.3.2025"], type=StatedType.DATE) == {"type": 1}
    assert breaches(["14.3.2025"], type=StatedType.DATE, format="%d.%m.%Y") == {}
    assert breaches([1, 2], type=StatedType.DATE) == {"type": 2}
    assert breaches(["yes", "NO ", "maybe", None], type=StatedType.FLAG) == {"type": 1}
    assert breaches(["ja", "yes"], type=StatedType.FLAG, yes=("ja",), no=("nein",)) == {"type": 1}
    assert breaches([0, 1, 2], type=StatedType.FLAG) == {"type": 1}
    assert breaches([1.0, 2.5, None], type=StatedType.WHOLE) == {"type": 1}
    assert breaches([1, 2, 3], levels=("1", "2")) == {"levels": 1}
    assert breaches([1.0, 2.0, 3.0], levels=("1", "2")) == {"levels": 1}


def test_nothing_is_told_of_a_pattern_that_cannot_be_used():
    stated = ColumnDescription(name="v", levels=("a",), pattern="(?<=x)b")
    description = Description(source="", columns=(stated,))
    table = pa.table({"v": ["geheim"]})
    assert {rule for _, rule in observe_breaches(table, description).found} == {Rule.LEVELS}
