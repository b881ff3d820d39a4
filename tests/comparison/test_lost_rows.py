"""Rows that are known to be gone, most of them of one level."""

import numpy as np
import pandas as pd
import pytest

import nachsicht

RNG = np.random.default_rng(15)
N = 3000
CHECKS = pd.DataFrame(
    {
        "hive": np.arange(N),
        "honey": RNG.gamma(4, 5, N).round(2),
        "yard": RNG.choice(["Grünau", "Mühlbach", "Tannwinkel", "Überlahn"], N),
        "frames": RNG.choice([8, 10, 12], N),
        "wet": RNG.random(N) < 0.3,
    }
)


def without(share, name="yard", level="Mühlbach"):
    """Two hundredths of all rows are gone, and a share of one level."""
    gone = RNG.random(N) < np.where(CHECKS[name] == level, share, 0.02)
    return CHECKS[~gone], gone


def lost(old, new, **settings):
    return [f for f in nachsicht.compare(old, new, **settings).findings if f.code == "rows_lost"]


@pytest.mark.parametrize("columns", [[*CHECKS], ["honey", "yard", "frames", "wet"]])
@pytest.mark.parametrize(("name", "level"), [("yard", "Mühlbach"), ("frames", 10), ("wet", True)])
def test_the_level_and_its_rows_are_told(columns, name, level):
    new, gone = without(0.5, name, level)
    (finding,) = lost(CHECKS[columns], new[columns])
    in_level = CHECKS[name] == level
    assert finding.severity in ("check", "act")
    assert finding.evidence["by"] == name
    assert finding.evidence["level"] == ("true" if level is True else str(level))
    assert finding.evidence["rows"] == (gone & in_level).sum()
    assert finding.evidence["level_share"] == pytest.approx(gone[in_level].mean())
    assert finding.evidence["rest_share"] == pytest.approx(gone[~in_level].mean())


def test_it_is_told_where_as_many_rows_came():
    kept, gone = without(0.4)
    fresh = CHECKS.sample(gone.sum(), random_state=2)
    fresh = fresh.assign(hive=np.arange(len(fresh)) + N, honey=fresh.honey + 0.003)
    (finding,) = lost(CHECKS, pd.concat([kept, fresh]), key="hive")
    assert (finding.form, finding.evidence["level"]) == ("level", "Mühlbach")


def test_rows_that_are_gone_evenly_are_no_level():
    assert lost(CHECKS, CHECKS[RNG.random(N) > 0.03]) == []


def test_rewritten_cells_are_no_lost_rows():
    old = CHECKS[["yard", "wet"]]
    new = old.assign(yard=old.yard.where(old.yard != "Mühlbach", "Dreilinden"))
    assert lost(old, new) == []


@pytest.mark.parametrize("columns", [[*CHECKS], ["honey", "yard", "frames", "wet"]])
@pytest.mark.parametrize(("first", "last", "form"), [(700, 760, "run"), (2900, N, "end")])
def test_a_run_of_rows_is_told_whatever_the_total(columns, first, last, form):
    gone = np.isin(np.arange(1, N + 1), np.arange(first, last + 1)) | (RNG.random(N) < 0.01)
    gone[first - 2] = False
    fresh = CHECKS.sample(gone.sum(), random_state=3)
    fresh = fresh.assign(hive=np.arange(len(fresh)) + N, honey=RNG.gamma(4, 5, len(fresh)))
    new = pd.concat([CHECKS[~gone], fresh])
    (finding,) = lost(CHECKS[columns], new[columns])
    assert finding.form == form
    assert (finding.evidence["first_row"], finding.evidence["last_row"]) == (first, last)


def test_removed_rows_that_are_scattered_are_no_run():
    assert nachsicht.compare(CHECKS, CHECKS[RNG.random(N) > 0.3]).document.rows[0].lost_run is None
