"""Distances against SciPy, and what is made of them."""

import numpy as np
import pyarrow as pa
import pytest
import scipy.stats
from hypothesis import assume, given
from hypothesis import strategies as st

import nachsicht
from nachsicht.compute.changes.distances import (
    distance_between,
    ks_chance,
    levels_chance,
    shares_chance,
)
from nachsicht.compute.columns import finish_column, observe_column
from nachsicht.settings import Settings

RNG = np.random.default_rng(11)


def column_of(values):
    return finish_column(observe_column(pa.array(values)), "value", 0, Settings())


values = st.lists(st.integers(-3, 40).map(lambda n: n / 4) | st.just(0.0), min_size=4, max_size=80)


@given(values, values)
def test_distance_of_few_values_is_exactly_that_of_scipy(old, new):
    a, b = column_of(old), column_of(new)
    assume(a.kind is b.kind is nachsicht.Kind.QUANTITY)
    measured = distance_between(a, b)
    assert measured.uncertainty == 0
    expected = scipy.stats.ks_2samp(old, new, method="asymp")
    assert measured.distance == pytest.approx(expected.statistic, abs=1e-12)


@pytest.mark.parametrize("shift", [0, 0.05, 0.3, 2])
def test_distance_of_many_values_is_within_its_stated_uncertainty(shift):
    old = np.concatenate([RNG.normal(0, 1, 20_000), np.zeros(4_000)])
    new = np.concatenate([RNG.normal(shift, 1.2, 15_000), np.full(5_000, 3.0)])
    measured = distance_between(column_of(old), column_of(new))
    expected = scipy.stats.ks_2samp(old, new, method="asymp").statistic
    assert 0 < measured.uncertainty < 0.01
    assert abs(measured.distance - expected) <= measured.uncertainty


@pytest.mark.parametrize("distance", [0.02, 0.05, 0.1])
def test_chance_of_a_distance_is_near_that_of_scipy(distance):
    n, m = 900, 700
    exact = scipy.stats.kstwo.sf(distance, round(n * m / (n + m)))
    assert ks_chance(distance, n, m) == pytest.approx(exact, rel=0.1, abs=1e-4)


def test_levels_agree_with_scipy():
    old, new = {"a": 40, "b": 60, "c": 20}, {"a": 55, "b": 50, "c": 5}
    table = [list(old.values()), list(new.values())]
    expected = scipy.stats.chi2_contingency(table, correction=False).pvalue
    assert levels_chance(old, new) == pytest.approx(expected, rel=1e-10)
    rows = [[name for name, n in side.items() for _ in range(n)] for side in (old, new)]
    measured = distance_between(column_of(rows[0]), column_of(rows[1]))
    shares = [np.array(side) / sum(side) for side in table]
    assert measured.distance == pytest.approx(np.abs(shares[0] - shares[1]).sum() / 2)


def test_shares_agree_with_the_test_of_two_proportions():
    pooled = scipy.stats.chi2_contingency([[30, 970], [60, 940]], correction=False).pvalue
    assert shares_chance(30, 1000, 60, 1000) == pytest.approx(pooled, rel=1e-10)


def frame(**columns):
    return pa.table(columns)


def codes(old, new, **options):
    return {
        (f.code, f.columns, str(f.weight)) for f in nachsicht.compare(old, new, **options).findings
    }


N = 2000
WEIGHT = RNG.gamma(9, 4, N)
MAKE = RNG.choice(["oak", "pine", "fir"], N, p=[0.5, 0.3, 0.2])


@pytest.mark.parametrize("factor", [2.20462, 0.01, 1000, 60])
def test_a_rescaled_column_is_named_with_its_factor(factor):
    found = nachsicht.compare(frame(w=WEIGHT), frame(w=RNG.permutation(WEIGHT) * factor)).findings
    assert [finding.code for finding in found] == ["rescaled"]
    assert found[0].evidence["factor"] == pytest.approx(factor, rel=0.01)


def test_a_shift_is_not_taken_for_a_factor():
    found = codes(frame(w=WEIGHT), frame(w=WEIGHT + 20))
    assert found == {("spread_moved", ("w",), "act")}


def test_a_renamed_column_is_one_finding():
    found = codes(frame(weight=WEIGHT, make=MAKE), frame(make=MAKE, weight_kg=WEIGHT))
    assert found == {("renamed", ("weight_kg",), "act")}


def test_columns_that_have_nothing_in_common_are_not_taken_for_renamed():
    found = codes(frame(weight=WEIGHT), frame(bees=MAKE))
    assert found == {("removed", ("weight",), "act"), ("added", ("bees",), "note")}


def test_a_column_filled_with_one_value_says_so():
    assert codes(frame(m=MAKE), frame(m=["oak"] * N)) == {("became_constant", ("m",), "act")}


def test_numbers_that_become_words_change_their_kind():
    new = [f"{w:.1f} kg or so, not more" for w in WEIGHT]
    assert codes(frame(w=WEIGHT), frame(w=new)) == {("retyped", ("w",), "act")}


def test_new_and_gone_levels_are_told():
    new = np.where(MAKE == "fir", "elm", MAKE)
    found = codes(frame(m=MAKE), frame(m=new))
    assert found == {("levels_new", ("m",), "check"), ("levels_gone", ("m",), "check")}


def test_gaps_that_rise_are_placed():
    gaps = pa.array(WEIGHT, mask=(MAKE == "fir") & (RNG.random(N) < 0.6))
    found = nachsicht.compare(frame(w=WEIGHT, m=MAKE), frame(w=gaps, m=MAKE)).findings
    (risen,) = [finding for finding in found if finding.code == "gaps_risen"]
    assert (risen.evidence["by"], risen.evidence["level"]) == ("m", "fir")
    assert risen.evidence["part_of_rise"] == pytest.approx(1)


@pytest.mark.parametrize("seed", range(12))
def test_two_halves_of_one_table_give_nothing_urgent(seed, demo_files):
    from pyarrow import csv

    table = csv.read_csv(demo_files["hive_checks_2024.csv"])
    order = np.random.default_rng(seed).permutation(table.num_rows)
    half = table.num_rows // 2
    found = nachsicht.compare(table.take(order[:half]), table.take(order[half:])).findings
    assert [f for f in found if f.weight is not nachsicht.Weight.NOTE] == []


def test_three_versions_say_at_which_step():
    found = nachsicht.compare(
        frame(w=WEIGHT), frame(w=WEIGHT), frame(w=WEIGHT * 100), labels=["may", "june", "july"]
    )
    assert [finding.versions for finding in found.findings] == [("june", "july")]
    steps = found.document.columns[0].steps
    assert [step.distance for step in steps] == [0, pytest.approx(1, abs=0.05)]


def test_a_column_that_comes_goes_and_comes_back_stays_in_the_ledger():
    a, b = frame(w=WEIGHT, m=MAKE), frame(w=WEIGHT)
    names = [c.names for c in nachsicht.compare(a, b, a).document.columns]
    assert ("w", "w", "w") in names
    assert sorted(names, key=str)[:2] == [("m", None, None), (None, None, "m")] or len(names) == 3


def test_shares_that_move_name_the_level():
    new = RNG.choice(["oak", "pine", "fir"], N, p=[0.3, 0.5, 0.2])
    (found,) = nachsicht.compare(frame(m=MAKE), frame(m=new)).findings
    assert (found.code, found.weight) == ("shares_moved", "check")
    assert found.evidence["level"] in ("oak", "pine")
    assert found.evidence["distance"] == pytest.approx(0.2, abs=0.04)


def test_texts_that_grow_longer_are_checked():
    notes = [f"all {a} bees of box {b} are quite well" for a, b in RNG.integers(0, 99, (N, 2))]
    longer = [note + " and so is the queen" for note in notes]
    assert codes(frame(note=notes), frame(note=longer)) == {("lengths_moved", ("note",), "check")}


def test_numbers_that_become_texts_of_numbers_only_change_their_stored_type():
    texts = [str(round(w, 3)) for w in WEIGHT]
    found = codes(frame(w=WEIGHT.round(3)), frame(w=texts))
    assert found == {("stored_type", ("w",), "note")}


def test_gaps_that_are_filled_are_noted():
    gaps = pa.array(WEIGHT, mask=RNG.random(N) < 0.3)
    assert codes(frame(w=gaps), frame(w=WEIGHT)) == {("gaps_fallen", ("w",), "note")}


def test_a_new_stand_in_is_found_and_not_taken_for_a_shift():
    new = np.where(RNG.random(N) < 0.03, -999, WEIGHT)
    assert codes(frame(w=WEIGHT), frame(w=new)) == {("stand_in_new", ("w",), "act")}


@pytest.mark.parametrize(
    ("rare", "frequent", "alike"),
    [
        ("thyml tray", "thymol tray", True),
        ("oxalic vapor", "oxalic vapour", True),
        ("trial A", "trial B", False),
        ("box 12345", "box 12346", False),
        ("north", "south", False),
        ("bee", "beet", False),
    ],
)
def test_typing_errors_are_told_from_other_words(rare, frequent, alike):
    detail = column_of([frequent] * 200 + [rare] * 3).detail
    groups = [{level.value for level in group} for group in detail.look_alikes]
    assert groups == ([{rare, frequent}] if alike else [])
