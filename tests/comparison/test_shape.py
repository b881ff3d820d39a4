"""What of a distribution moved most is what is told first: centre, spread, high or low values."""

import numpy as np
import pandas as pd
import pytest

import nachsicht

N = 4000


def made(change, seed):
    """Weights of hives, some of them changed by no one rule."""
    rng = np.random.default_rng(seed)
    weights = rng.normal(40, 4, N)
    return pd.DataFrame({"weight": change(weights, rng).round(2), "hive": rng.permutation(N)})


CHANGES = {
    "rose": lambda w, _: w + 4 + 3 * np.sin(w),
    "fell": lambda w, _: w - 4 + 3 * np.sin(w),
    "wider": lambda w, rng: np.where(rng.random(N) < 0.5, rng.uniform(20, 60, N), w),
    "narrower": lambda w, rng: np.where(rng.random(N) < 0.5, 40 + (w - 40) / 5, w),
    "high": lambda w, rng: np.where(w > 44, w + rng.exponential(20, N), w),
    "low": lambda w, rng: np.where(w < 36, w - rng.exponential(20, N), w),
}


@pytest.mark.parametrize("form", CHANGES)
def test_what_moved_most_is_told(form):
    old, new = made(lambda w, _: w, 1), made(CHANGES[form], 2)
    found = nachsicht.compare(old, new, labels=["old", "new"]).findings
    (finding,) = [f for f in found if f.code == "distribution_shift"]
    assert finding.form == form
    quantiles = [side.weight.quantile([0.05, 0.25, 0.5, 0.75, 0.95]) for side in (old, new)]
    facts = {
        "median": [q[0.5] for q in quantiles],
        "spread": [q[0.75] - q[0.25] for q in quantiles],
        "high": [q[0.95] for q in quantiles],
        "low": [q[0.05] for q in quantiles],
    }[{"rose": "median", "fell": "median", "wider": "spread", "narrower": "spread"}.get(form, form)]
    name = {"rose": "median", "fell": "median", "wider": "spread", "narrower": "spread"}
    said = [finding.evidence[f"{when}_{name.get(form, form)}"] for when in ("old", "new")]
    assert said == pytest.approx(facts)
    assert "→" in finding.title
