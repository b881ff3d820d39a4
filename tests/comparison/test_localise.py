"""Where a change sits, from profiles alone: planted in one level of one column, and found there."""

import numpy as np
import pandas as pd
import pytest

import nachsicht

RNG = np.random.default_rng(77)
N = 4000
YARDS = np.array(["north", "south", "mill", "heath"])


def checks():
    return pd.DataFrame(
        {
            "yard": RNG.choice(YARDS, N),
            "breed": RNG.choice(["buckfast", "carnica", "dark"], N),
            "honey_kg": RNG.gamma(4, 5, N).round(1),
            "mites": RNG.poisson(3, N),
        }
    )


def finding(code, old, new):
    found = nachsicht.compare(old, new).findings
    return next((f for f in found if f.code == code), None)


@pytest.fixture
def of_profiles(tmp_path):
    """A finding between two versions of which only the profiles were kept."""

    def find(code, *versions):
        paths = [tmp_path / f"{i}.json" for i in range(len(versions))]
        for path, version in zip(paths, versions, strict=True):
            nachsicht.profile(version).write(path)
        return finding(code, *paths)

    return find


@pytest.mark.parametrize("yard", YARDS)
def test_new_missing_values_are_placed_in_their_level(yard, of_profiles):
    old, new = checks(), checks()
    new.loc[(new.yard == yard) & (RNG.random(N) < 0.5), "honey_kg"] = np.nan
    evidence = of_profiles("missing_increased", old, new).evidence
    assert (evidence["by"], evidence["level"]) == ("yard", yard)
    assert evidence["share_of_new_missing"] == 1.0


def test_missing_values_everywhere_have_no_place(of_profiles):
    old, new = checks(), checks()
    new.loc[RNG.random(N) < 0.15, "honey_kg"] = np.nan
    assert "by" not in of_profiles("missing_increased", old, new).evidence


def test_rows_that_were_lost_are_placed_in_their_level():
    old, new = checks(), checks()
    new = new[(new.yard != "heath") | (RNG.random(N) < 0.2)]
    evidence = finding("rows_lost", old, new).evidence
    assert (evidence["by"], evidence["level"]) == ("yard", "heath")
    lost = (old.yard == "heath").sum() - (new.yard == "heath").sum()
    assert evidence["share_of_lost"] == pytest.approx(lost / (len(old) - len(new)), abs=0.1)


def test_rows_that_end_earlier_are_placed_at_the_end():
    days = pd.Timestamp("2024-04-01") + pd.to_timedelta(np.sort(RNG.integers(0, 180, N)), "D")
    old = checks().assign(checked=days)
    new = old[old.checked < "2024-08-01"]
    evidence = finding("rows_lost", old, new).evidence
    assert (evidence["by"], evidence["after"]) == ("checked", "2024-07-31")


def test_a_shift_is_placed_in_its_level(of_profiles):
    old, new = checks(), checks()
    new.loc[new.breed == "dark", "honey_kg"] += 14
    evidence = of_profiles("distribution_shift", old, new).evidence
    assert (evidence["by"], evidence["level"]) == ("breed", "dark")
    assert evidence["share_of_shift"] > 0.9


@pytest.mark.parametrize(
    ("first", "last"), [("2024-05-03", "2024-05-20"), ("2024-08-01", "2024-08-31")]
)
def test_a_stretch_of_time_without_rows_is_named_by_its_ends(first, last):
    def year():
        return checks().assign(
            checked=pd.Timestamp("2024-04-01") + pd.to_timedelta(RNG.integers(0, 180, N), "D")
        )

    old, new = year(), year()
    new = new[~new.checked.between(first, last)]
    evidence = finding("period_missing", old, new).evidence
    assert (evidence["by"], evidence["first"], evidence["last"]) == ("checked", first, last)
    assert evidence["rows"] == old.checked.between(first, last).sum()
    assert finding("period_missing", old, year()) is None
