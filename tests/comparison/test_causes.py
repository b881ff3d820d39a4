"""What is told of a change: its cause once, or what is seen where none is known."""

import numpy as np
import pyarrow as pa
import pytest

import nachsicht
from nachsicht.columns.accumulate import finish_column, observe_column
from nachsicht.config.settings import Settings

RNG = np.random.default_rng(11)


def column_of(values):
    return finish_column(observe_column(pa.array(values)), "value", 0, Settings())


def frame(**columns):
    return pa.table(columns)


def codes(old, new, **options):
    return {
        (f.code, f.columns, str(f.severity))
        for f in nachsicht.compare(old, new, **options).findings
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
    (found,) = nachsicht.compare(frame(w=WEIGHT), frame(w=WEIGHT + 20)).findings
    assert (found.code, found.severity) == ("shifted", "act")
    assert found.evidence["shift"] == pytest.approx(20)


@pytest.mark.parametrize("share", [0.2, 0.5, 1.0])
def test_columns_that_were_swapped_are_named_with_the_part_of_the_rows(share):
    length = RNG.normal(60, 4, N)
    old = frame(weight=WEIGHT, length=length)
    drawn = RNG.permutation(N)  # so that no row tells by itself
    where = RNG.random(N) < share
    weight, length = WEIGHT[drawn], length[RNG.permutation(N)]
    new = frame(weight=np.where(where, length, weight), length=np.where(where, weight, length))
    (found,) = nachsicht.compare(old, new).findings
    assert (found.code, set(found.columns)) == ("swapped", {"weight", "length"})
    assert found.evidence.get("share", 1.0) == pytest.approx(where.mean(), abs=0.03)


def test_columns_that_moved_towards_each_other_were_not_swapped():
    length = RNG.normal(60, 4, N)
    new = frame(weight=WEIGHT + 8, length=RNG.permutation(length) - 8)
    found = nachsicht.compare(frame(weight=WEIGHT, length=length), new).findings
    assert {f.code for f in found} == {"shifted"}


def test_numbers_that_named_rows_are_asked_whether_they_still_do():
    ids = np.arange(5000, 5000 + N)
    again = ids.copy()
    again[200:400] = ids[:200]
    found = codes(frame(w=WEIGHT, hive=ids), frame(w=RNG.permutation(WEIGHT), hive=again))
    assert {(code, columns) for code, columns, _ in found} == {("new_duplicate_ids", ("hive",))}


def test_gaps_in_a_column_that_was_complete_are_to_be_checked():
    gone = np.arange(N) % 80 == 0
    found = codes(frame(w=WEIGHT), frame(w=pa.array(WEIGHT, mask=gone)))
    assert found == {("missing_increased", ("w",), "check")}
    before = pa.array(WEIGHT, mask=np.arange(N) % 50 == 7)
    both = pa.array(WEIGHT, mask=gone | (np.arange(N) % 50 == 7))
    assert {s for _, _, s in codes(frame(w=before), frame(w=both))} <= {"note"}


def test_a_renamed_column_is_one_finding():
    found = codes(frame(weight=WEIGHT, make=MAKE), frame(make=MAKE, weight_kg=WEIGHT))
    assert found == {("renamed", ("weight_kg",), "act"), ("reordered", (), "note")}


def test_columns_that_have_nothing_in_common_are_not_taken_for_renamed():
    found = codes(frame(weight=WEIGHT), frame(bees=MAKE))
    assert found == {("removed", ("weight",), "act"), ("added", ("bees",), "note")}


def test_a_column_filled_with_one_value_says_so():
    assert codes(frame(m=MAKE), frame(m=["oak"] * N)) == {("became_constant", ("m",), "act")}


def test_numbers_that_become_words_change_their_kind():
    new = [f"{w:.1f} kg or so, not more" for w in WEIGHT]
    assert codes(frame(w=WEIGHT), frame(w=new)) == {("retyped", ("w",), "act")}


def test_new_and_gone_levels_are_told():
    new = np.where((MAKE == "fir") & (RNG.random(N) < 0.5), "elm", MAKE)
    assert codes(frame(m=MAKE), frame(m=new)) == {("new_levels", ("m",), "check")}
    assert codes(frame(m=new), frame(m=MAKE)) == {("missing_levels", ("m",), "check")}


def test_a_level_that_goes_by_another_name_is_one_finding():
    new = np.where(MAKE == "fir", "elm", MAKE)
    found = codes(frame(m=MAKE), frame(m=new))
    assert found == {("relabelled", ("m",), "act")}


def test_gaps_that_rise_are_placed():
    gaps = pa.array(WEIGHT, mask=(MAKE == "fir") & (RNG.random(N) < 0.6))
    found = nachsicht.compare(frame(w=WEIGHT, m=MAKE), frame(w=gaps, m=MAKE)).findings
    (risen,) = [finding for finding in found if finding.code == "missing_increased"]
    assert (risen.evidence["where_by"], risen.evidence["where_level"]) == (("m",), ("fir",))


@pytest.mark.parametrize("seed", range(12))
def test_two_halves_of_one_table_give_nothing_urgent(seed, demo_files):
    from pyarrow import csv

    table = csv.read_csv(demo_files["hive_checks_2024.csv"])
    order = np.random.default_rng(seed).permutation(table.num_rows)
    half = table.num_rows // 2
    found = nachsicht.compare(table.take(order[:half]), table.take(order[half:])).findings
    assert [f for f in found if f.severity is not nachsicht.Severity.NOTE] == []


def test_three_versions_say_at_which_step():
    found = nachsicht.compare(
        frame(w=WEIGHT), frame(w=WEIGHT), frame(w=WEIGHT * 100), labels=["may", "june", "july"]
    )
    assert [finding.versions for finding in found.findings] == [("june", "july")]
    steps = found.document.columns[0].transitions
    assert [step.distance for step in steps] == [0, pytest.approx(1, abs=0.05)]


def test_a_column_that_comes_goes_and_comes_back_stays_in_the_ledger():
    a, b = frame(w=WEIGHT, m=MAKE), frame(w=WEIGHT)
    names = [c.names for c in nachsicht.compare(a, b, a).document.columns]
    assert ("w", "w", "w") in names
    assert sorted(names, key=str)[:2] == [("m", None, None), (None, None, "m")] or len(names) == 3


def test_shares_that_move_name_the_level():
    new = RNG.choice(["oak", "pine", "fir"], N, p=[0.3, 0.5, 0.2])
    (found,) = nachsicht.compare(frame(m=MAKE), frame(m=new)).findings
    assert (found.code, found.severity) == ("category_shift", "check")
    assert found.evidence["level"] in ("oak", "pine")
    assert found.evidence["distance"] == pytest.approx(0.2, abs=0.04)


def test_texts_that_grow_longer_are_checked():
    notes = [f"all {a} bees of box {b} are quite well" for a, b in RNG.integers(0, 99, (N, 2))]
    longer = [note + " and so is the queen" for note in notes]
    assert codes(frame(note=notes), frame(note=longer)) == {("length_shift", ("note",), "check")}


def test_numbers_that_become_plain_texts_are_worth_a_check():
    texts = [str(round(w, 3)) for w in WEIGHT]
    found = codes(frame(w=WEIGHT.round(3)), frame(w=texts))
    assert found == {("numbers_as_text", ("w",), "check")}


def test_gaps_that_are_all_filled_are_to_be_checked():
    gaps = pa.array(WEIGHT, mask=RNG.random(N) < 0.3)
    assert codes(frame(w=gaps), frame(w=WEIGHT)) == {("missing_decreased", ("w",), "check")}


def test_a_new_stand_in_is_found_and_not_taken_for_a_shift():
    new = np.where(RNG.random(N) < 0.03, -999, WEIGHT)
    assert codes(frame(w=WEIGHT), frame(w=new)) == {("sentinel_value_new", ("w",), "act")}


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
    detail = column_of([frequent] * 200 + [rare] * 3).stats
    groups = [{level.value for level in group} for group in detail.similar_levels]
    assert groups == ([{rare, frequent}] if alike else [])


def test_a_slight_factor_of_no_unit_is_to_be_checked_and_not_mended_unasked():
    """Two halves of real data differ by a few per cent: no alarm. A unit is one, also if near."""
    rng = np.random.default_rng(4)
    values = np.round(rng.gamma(9, 4, 4000) + 5, 3)
    for factor, weight in ((1.06, "check"), (0.95, "check"), (1.2, "act"), (2.20462, "act")):
        made = nachsicht.compare(pa.table({"w": values}), pa.table({"w": values * factor}))
        (found,) = [f for f in made.findings if f.code == "rescaled"]
        assert found.severity == weight, factor
        assert f"'rescaled w': {weight == 'act'}" in made.remedies()


@pytest.mark.parametrize(("finer", "told"), [(0.08, set()), (0.5, {"rounded"})])
def test_values_that_had_two_decimals_anyway_are_not_heaped_on_them(finer, told):
    rng = np.random.default_rng(2)
    old, new = np.round(rng.gamma(3, 10, (2, 4000)), 2)
    old = np.where(rng.random(4000) < finer, old + rng.random(4000) / 1000, old)
    assert {code for code, *_ in codes(frame(price=old), frame(price=new))} == told


def test_years_that_come_anew_are_not_taken_for_stand_ins():
    rng = np.random.default_rng(5)
    old = frame(sold=rng.choice([2008, 2009, 2010], 1500), price=rng.normal(size=1500))
    new = frame(sold=rng.choice([2006, 2007, 2008], 1500), price=rng.normal(size=1500))
    assert "sentinel_value_new" not in {code for code, *_ in codes(old, new)}
    coded = frame(sold=np.where(rng.random(1500) < 0.2, 2030, old["sold"]), price=new["price"])
    assert ("sentinel_value_new", ("sold",)) in {
        (code, names) for code, names, _ in codes(old, coded)
    }


def test_a_level_that_nearly_all_rows_have_is_no_place():
    rng = np.random.default_rng(6)
    street = np.where(rng.random(3000) < 0.01, "gravel", "paved")
    lot = rng.normal(500, 40, 3000)
    old = frame(street=street, lot=lot)
    new = frame(street=street, lot=pa.array(lot, mask=np.arange(3000) % 9 == 0))
    (found,) = nachsicht.compare(old, new).findings
    assert found.code == "missing_increased" and "paved" not in found.sentence


def test_levels_that_are_cut_to_the_same_text_are_counted_once():
    rng = np.random.default_rng(3)
    yards = rng.choice(["Mühlbach Nord", "Mühlbach Süd", "Mühlbach West"], 600)
    cut = np.array([yard[:8] for yard in yards])
    cut[::20] = "Grünau"
    old = pa.table({"yard": [*yards[:580], *["Grünau"] * 20], "w": rng.normal(size=600)})
    found = nachsicht.compare(old, pa.table({"yard": cut, "w": rng.normal(size=600)})).findings
    (finding,) = [f for f in found if f.code == "text_truncated"]
    assert finding.evidence["rows"] == (cut == "Mühlbach").sum()
    assert finding.evidence["share"] == pytest.approx((cut == "Mühlbach").mean())


def test_levels_that_are_not_kept_are_not_gone():
    """Of many levels the rarer ones are counted together; which these are may change."""
    often = np.repeat([f"N{i:05d}JB" for i in range(1_500)], RNG.integers(3, 40, 1_500))
    old = frame(tail=RNG.permutation(np.repeat(often, 4)))
    new = frame(tail=RNG.permutation(often)[: len(often) * 2 // 3])
    found = nachsicht.compare(old, new, max_levels=600, kinds={"tail": "category"}).findings
    told = [f for f in found if "tail" in f.columns]
    assert not {f.code for f in told} & {"relabelled", "missing_levels", "new_levels"}
    assert not told
