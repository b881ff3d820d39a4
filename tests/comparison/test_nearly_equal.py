"""Rows without a key: pairs are found by all columns but those that were rewritten."""

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest

import nachsicht

RNG = np.random.default_rng(15)
N = 900
CHECKS = pd.DataFrame(
    {
        "honey_kg": RNG.gamma(4, 5, N).round(2),
        "mites": RNG.poisson(3, N),
        "air_c": RNG.normal(12, 6, N).round(2),
        "yard": RNG.choice(["north", "south", "mill"], N),
        "weight_kg": RNG.normal(38, 4, N).round(2),
    }
)
SOME = RNG.random(N) < 0.2


def changes(new, old=CHECKS):
    return nachsicht.compare(old, new).document.rows[0]


@pytest.mark.parametrize("share", [0.01, 0.2, 1.0])
def test_a_rewritten_column_is_found_without_a_key(share):
    where = RNG.random(N) < share
    new = CHECKS.assign(honey_kg=CHECKS["honey_kg"].where(~where, CHECKS["honey_kg"] + 3))
    rows = changes(new.sample(frac=1, random_state=2))
    (cell,) = rows.changed_cells
    assert (rows.key, rows.added, rows.removed) == ((), 0, 0)
    assert (rows.changed, rows.unchanged) == (where.sum(), N - where.sum())
    assert (cell.column, cell.rows, cell.rewrite.rule) == ("honey_kg", where.sum(), "shifted")


def test_rows_that_come_and_go_stay_added_and_removed():
    new = CHECKS.assign(yard=CHECKS["yard"].where(~SOME, "creek")).iloc[100:]
    rows = changes(pd.concat([new, CHECKS.head(30).assign(air_c=40.5, mites=77)]))
    assert rows.changed == SOME[100:].sum()
    assert (rows.added, rows.removed) == (30, 100)


def test_two_columns_rewritten_in_all_rows_are_told_apart():
    new = CHECKS.assign(honey_kg=CHECKS["honey_kg"] * 1000, air_c=CHECKS["air_c"] + 20)
    rules = {cell.column: cell.rewrite.rule for cell in changes(new).changed_cells}
    assert rules == {"honey_kg": "decimal_point", "air_c": "shifted"}


def test_other_rows_are_no_rewritten_ones():
    """Rows of few levels agree by chance in all columns but one."""
    few = pd.DataFrame(RNG.integers(0, 4, (2 * N, 4)), columns=list("abcd"))
    few["honey_kg"] = RNG.gamma(4, 5, 2 * N).round(0)
    rows = changes(few.tail(N), few.head(N))
    assert rows.changed == 0
    assert rows.changed_cells == ()


def test_a_few_cells_among_many_rows_are_found():
    rng = np.random.default_rng(4)
    many = pd.DataFrame(rng.normal(size=(60_000, 5)).round(4), columns=list("abcde"))
    new = many.copy()
    new.loc[[7, 700, 7000, 50_000, 59_000, 59_999], "c"] *= -1
    rows = changes(new, many)
    (cell,) = rows.changed_cells
    assert (rows.changed, rows.unchanged) == (6, 59_994)
    assert (cell.column, cell.rows, cell.rewrite.rule) == ("c", 6, "sign_flipped")


TYPES = [
    *(pa.int64(), pa.uint64(), pa.float64(), pa.bool_(), pa.decimal128(21, 2)),
    *(pa.date32(), pa.date64(), pa.timestamp("s"), pa.timestamp("ns", "Europe/Berlin")),
    *(pa.time32("s"), pa.time64("ns"), pa.duration("ms"), pa.duration("ns")),
    *(pa.string(), pa.dictionary(pa.int32(), pa.string()), pa.binary(), pa.null()),
    *(pa.list_(pa.int64()), pa.struct([("a", pa.int64())])),
]


def column_of(stored, rng, n=60):
    """Values of a type, far from its ends but for unsigned ones, which are beyond signed ones."""
    numbers = rng.integers(1, 80_000, n)
    whole = pa.array(numbers)
    special = {
        "null": lambda: pa.nulls(n),
        "bool": lambda: pa.array(numbers > 40_000),
        "uint64": lambda: pa.array(rng.integers(2**63, 2**64 - 1, n, dtype=np.uint64)),
        "date64": lambda: whole.cast(pa.int32()).cast(pa.date32()).cast(stored),
        "binary": lambda: whole.cast(pa.string()).cast(stored),
        "dictionary": lambda: whole.cast(pa.string()).dictionary_encode(),
        "date32": lambda: whole.cast(pa.int32()).cast(stored),
        "time32": lambda: whole.cast(pa.int32()).cast(stored),
        "list": lambda: pa.array([[value] for value in whole.to_pylist()], stored),
        "struct": lambda: pa.array([{"a": value} for value in whole.to_pylist()], stored),
    }
    name = next((name for name in special if str(stored).startswith(name)), None)
    return special[name]() if name else whole.cast(stored, safe=False)


@pytest.mark.slow
@pytest.mark.parametrize("key", [["hive"], []])
@pytest.mark.parametrize("before", TYPES, ids=str)
def test_columns_of_any_two_types_are_compared(before, key):
    rng = np.random.default_rng(6)
    same = {name: rng.normal(size=60) for name in ("honey_kg", "air_c")}
    same |= {"hive": np.arange(60)} if key else {}
    old = pa.table({**same, "cell": column_of(before, rng)})
    for after in TYPES:
        new = pa.table({**same, "cell": column_of(after, rng)})
        rows = nachsicht.compare(old, new, key=key).document.rows[0]
        compared = {cell.column for cell in rows.changed_cells} | set(rows.not_compared)
        assert rows.added == rows.removed == 0
        assert "cell" in compared or rows.unchanged == 60
