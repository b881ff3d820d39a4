"""Rows without a key: pairs are found by all columns but those that were rewritten."""

import numpy as np
import pandas as pd
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
