"""Damage is called by its name."""

from collections import defaultdict

import pytest

from tests.damage.bases import BASES
from tests.damage.causes import CAUSES
from tests.damage.recall import trials

pytestmark = pytest.mark.slow

#: The least share that must be found under its right name.
LEAST = {"blatant": 0.95, "moderate": 0.85}


def shares_of(done):
    """Found and done by cause and strength."""
    counts = defaultdict(lambda: [0, 0])
    for trial in done:
        counts[trial.cause, trial.strength][0] += trial.found
        counts[trial.cause, trial.strength][1] += 1
    return counts


@pytest.mark.parametrize("base", BASES)
def test_damage_of_every_cause_is_named(base):
    counts = shares_of(trials(seeds=(0,), bases=(base,)))
    for strength, least in LEAST.items():
        found, done = map(
            sum, zip(*(v for k, v in counts.items() if k[1] == strength), strict=True)
        )
        assert done > 25
        missed = [k for k, v in counts.items() if k[1] == strength and v[0] < v[1]]
        assert found >= least * done, missed


@pytest.mark.slow
def test_every_cause_by_itself_is_named_as_often_as_it_should_be():
    counts = shares_of(trials(seeds=range(1, 4)))
    assert {cause for cause, _ in counts} == set(CAUSES)
    # Of nine trials or fewer one miss says nothing of the rate; two do, and so does the sum.
    short = {
        key: (found, done)
        for key, (found, done) in counts.items()
        if found < LEAST.get(key[1], 0) * done - 1
    }
    assert short == {}
    for strength, least in LEAST.items():
        found, done = map(
            sum, zip(*(v for k, v in counts.items() if k[1] == strength), strict=True)
        )
        assert found >= least * done
