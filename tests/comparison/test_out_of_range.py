"""Values where there were none before: planted beyond the range, and not told of by chance."""

import numpy as np
import pandas as pd
import pytest

import nachsicht
from nachsicht.comparison.causes.out_of_range import beyond_range
from nachsicht.stats.ecdf import Curve

RNG = np.random.default_rng(8)
N = 3000


def found(old, new):
    frames = (pd.DataFrame({"honey_kg": side}) for side in (old, new))
    return [f for f in nachsicht.compare(*frames).findings if f.code == "out_of_range"]


@pytest.mark.parametrize("rows", [1, 3, 40])
@pytest.mark.parametrize(("factor", "side"), [(30, "above"), (-30, "below")])
def test_values_far_out_are_counted_and_shown(rows, factor, side):
    old, new = RNG.normal(20, 4, (2, N))
    new[:rows] = np.sign(factor) * (600 - np.arange(rows))
    (finding,) = found(old, new)
    assert finding.evidence["side"] == side
    assert finding.evidence["rows"] == pytest.approx(rows, abs=3)
    assert finding.evidence["value"] == np.sign(factor) * 600
    assert finding.evidence["bound"] == (old.max() if side == "above" else old.min())
    cells = [cell for part in finding.example_rows for row in part.rows for cell in row.cells]
    assert "600" in {cell.lstrip("-").replace(".0", "") for cell in cells if cell}


def test_a_negative_among_positive_values_is_a_fact_however_near():
    old, new = RNG.gamma(4, 5, (2, N))
    new[:2] = -0.1
    (finding,) = found(old, new)
    assert finding.title == "2 negative values, where none was before"
    assert found(RNG.normal(0, 1, N), np.append(RNG.normal(0, 1, N), -0.1)) == []


@pytest.mark.parametrize("draw", ["normal", "exponential", "standard_cauchy", "lognormal"])
def test_tails_light_and_heavy_reach_beyond_without_a_word(draw):
    """Of two draws from one distribution, one reaches beyond the other each time."""
    rng = np.random.default_rng(9)
    alarms = 0
    for _ in range(400):
        one, other = (np.sort(getattr(rng, draw)(size=500)) for _ in range(2))
        alarms += beyond_range(Curve.of_values(one), Curve.of_values(other), 1e-3) is not None
    assert alarms <= 8  # two in a hundred
