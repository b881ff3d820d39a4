"""Nothing is found where nothing was done."""

import pytest

from tests.damage.recall import undamaged

pytestmark = pytest.mark.slow


def test_undamaged_halves_give_nothing_urgent():
    wrong = [entry for entry in undamaged(24) if entry[2]]
    assert len(wrong) <= 1, wrong


@pytest.mark.slow
def test_at_most_one_undamaged_pair_in_twenty_gives_anything_urgent():
    wrong = [entry for entry in undamaged(200) if entry[2]]
    assert len(wrong) <= 10, wrong
