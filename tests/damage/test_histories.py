"""Trouble along histories, every version profiled; the whole is `make blind-history`."""

import pytest

from tests.damage.histories import Tally, trials

pytestmark = pytest.mark.slow


def tallied(seed, n):
    tally = Tally()
    for trial in trials((seed, n)):
        tally.add(*trial)
    return tally


def named(tally, strength):
    keys = [key for key in tally.of if key[2] == strength]
    return sum(tally.named[key] for key in keys), sum(tally.of[key] for key in keys)


def test_blatant_trouble_is_named_in_its_place_and_nothing_else_is_told():
    n = 8
    tally = tallied(12, n)
    right, of = named(tally, 0)
    assert of >= 15
    assert right >= 0.95 * of
    assert tally.wrongly_steady == 0
    assert tally.newest[0] == 0
    assert tally.beside[0] <= 0.02 * tally.beside[1]
    for form in ("jump", "spike"):
        assert tally.placed[form, n, 0] == tally.of_places[form, n, 0] > 0
