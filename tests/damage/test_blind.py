"""The blind kit itself: its damage is what it says, and blatant damage is named."""

import numpy as np
import pytest

from tests.damage.blind.kit import trial, undamaged
from tests.damage.blind.sorts import SORTS, columns_of
from tests.damage.blind.tables import PAIRINGS, TABLES, pair, table

pytestmark = pytest.mark.slow


def test_there_are_enough_sorts_and_tables():
    assert len(SORTS) >= 50
    assert len(TABLES) >= 25


@pytest.mark.parametrize("sort", SORTS)
def test_damage_is_done_to_its_columns_alone(sort):
    kind, damage = SORTS[sort]
    rng = np.random.default_rng(7)
    done = 0
    for name in (
        "carData/Chile",
        "nlme/bdf",
        "nycflights13/weather",
        "dslabs/brca",
        "dplyr/storms",
    ):
        _, new = pair(table(name), "halves", rng)
        before = new.copy()
        for column in columns_of(new, kind)[:2]:
            truth = damage(new, column, rng, 0)
            if truth is None:
                continue
            done += 1
            assert new.equals(before)
            others = [c for c in new if c not in truth.columns and c in truth.frame]
            if len(truth.frame) == len(new):
                assert truth.frame[others].equals(new[others])
                assert not truth.frame.equals(new)
    assert done or sort in ("missing_filled", "wrapped", "hours_off")


@pytest.mark.parametrize(
    "sort", ["unit", "far_out", "relabelled", "block_repeated", "one_value_written"]
)
def test_blatant_damage_is_named_and_never_missed(sort):
    tried = [trial(sort, 0, pairing, seed) for pairing in PAIRINGS[:2] for seed in (0, 1)]
    results = [t.result for t in tried if t is not None]
    assert "missed" not in results
    assert results.count("cause") >= 3


def test_nothing_urgent_is_said_of_undamaged_pairs():
    assert sum(bool(undamaged(seed)[2]) for seed in range(12)) <= 1
