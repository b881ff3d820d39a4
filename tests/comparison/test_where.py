"""Where rewritten rows are: by a level, a range, a run of rows, or two of these together."""

import numpy as np
import pandas as pd
import pytest

import nachsicht

RNG = np.random.default_rng(18)
N = 2500
CHECKS = pd.DataFrame(
    {
        "hive": RNG.permutation(N) + 5000,
        "honey": RNG.gamma(4, 5, N).round(2),
        "yard": RNG.choice(["Grünau", "Mühlbach", "Tannwinkel"], N, p=[0.6, 0.3, 0.1]),
        "frames": RNG.choice([8, 10, 12], N),
        "air": RNG.normal(18, 5, N).round(2),
        "day": pd.Timestamp("2024-03-01") + pd.to_timedelta(RNG.integers(0, 200, N), "D"),
    }
)
MAY = CHECKS.day.between("2024-05-02", "2024-05-30")
PLACES = {
    "a level": (CHECKS.yard == "Grünau", [("yard", "Grünau", None, None)]),
    "a level of numbers": (CHECKS.frames == 10, [("frames", "10", None, None)]),
    "a stretch of time": (MAY, [("day", None, "2024-05-02", "2024-05-30")]),
    "a run of rows": (CHECKS.index.isin(range(400, 700)), [(None, None, "401", "700")]),
    "two together": (
        MAY & (CHECKS.yard == "Mühlbach"),
        [("yard", "Mühlbach", None, None), ("day", None, None, None)],
    ),
    "nowhere": (RNG.random(N) < 0.2, []),
    "a few": (CHECKS.index.isin([3, 900, 2000]), []),
}


@pytest.mark.parametrize("key", [["hive"], []])
@pytest.mark.parametrize("name", PLACES)
def test_rewritten_rows_are_placed(name, key):
    where, expected = PLACES[name]
    new = CHECKS.assign(honey=np.where(where, CHECKS.honey + 0.37, CHECKS.honey))
    made = nachsicht.compare(CHECKS, new, key=key)
    (cell,) = made.document.rows[0].changed_cells
    assert cell.rows == where.sum()
    found = {condition.by: condition for condition in cell.where}
    assert set(found) == {by for by, *_ in expected}
    for by, level, first, last in expected:
        assert (found[by].level, first or found[by].first) == (level, found[by].first)
        assert last in (None, found[by].last)
    told = [f for f in made.findings if f.columns == ("honey",)]
    assert all(f.sentence.count("The rewritten rows have") == bool(expected) for f in told)


def test_a_place_is_told_with_the_cause_that_is_seen_in_all_rows():
    new = CHECKS.assign(honey=np.where(CHECKS.yard == "Grünau", -CHECKS.honey, CHECKS.honey))
    made = nachsicht.compare(CHECKS, new, key="hive")
    assert "yard = “Grünau”" in " ".join(f.sentence for f in made.findings)
    assert "Grünau" in " ".join(
        f.sentence for f in nachsicht.compare(CHECKS, new, key="hive", language="de").findings
    )
