"""Rows between two versions, against a merge in pandas."""

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import nachsicht

RNG = np.random.default_rng(23)
N = 3000


@pytest.fixture(scope="module")
def hives():
    return pd.DataFrame(
        {
            "tag": [f"H-{i:05d}" for i in RNG.permutation(20_000)[:N]],
            "frames": RNG.integers(4, 20, N),
            "honey": np.round(RNG.gamma(2, 5, N), 1),
            "keeper": RNG.choice(["Ada", "Ben", "Cem"], N),
            "seen": pd.Timestamp("2024-05-01") + pd.to_timedelta(RNG.integers(0, 90, N), "D"),
        }
    )


def changed(hives):
    """Some rows gone, some new, some cells changed, all in another order."""
    new = hives.drop(index=range(40)).copy()
    fresh = hives.iloc[:25].assign(tag=[f"N-{i}" for i in range(25)])
    new = pd.concat([new, fresh], ignore_index=True)
    new.loc[100:159, "honey"] += 0.5
    new.loc[150:169, "keeper"] = None
    return new.sample(frac=1, random_state=4).reset_index(drop=True)


def test_rows_by_a_found_key_are_those_of_a_merge(hives):
    new = changed(hives)
    (rows,) = nachsicht.compare(hives, new).document.rows
    merged = hives.merge(new, on="tag", how="outer", indicator=True, suffixes=("_a", "_b"))
    both = merged[merged["_merge"] == "both"]
    differs = {
        name: ~(
            (both[f"{name}_a"] == both[f"{name}_b"])
            | both[[f"{name}_a", f"{name}_b"]].isna().all(axis=1)
        )
        for name in ("frames", "honey", "keeper", "seen")
    }
    assert (rows.key, rows.key_detected) == (("tag",), True)
    assert rows.added == (merged["_merge"] == "right_only").sum() == 25
    assert rows.removed == (merged["_merge"] == "left_only").sum() == 40
    assert rows.changed == pd.DataFrame(differs).any(axis=1).sum()
    assert rows.unchanged + rows.changed == len(both)
    cells = {cell.column: cell.rows for cell in rows.changed_cells}
    assert cells == {name: mask.sum() for name, mask in differs.items() if mask.any()}
    for example in rows.examples:
        row = both[both["tag"] == example.key[0]].iloc[0]
        old, now = row[f"{example.column}_a"], row[f"{example.column}_b"]
        assert example.old == spoken(old)
        assert example.new == spoken(now)


def spoken(value):
    if pd.isna(value):
        return None
    return f"{value:g}" if isinstance(value, int | float) else str(value)


def test_cells_that_were_rewritten_are_told_with_an_example(hives):
    new = hives.copy()
    new.loc[:59, "frames"] = new.loc[:59, "frames"].sample(frac=1, random_state=1).to_numpy()
    (found,) = nachsicht.compare(hives, new).findings
    assert (found.code, found.columns, found.severity) == ("values_changed", ("frames",), "check")
    assert found.evidence["rows"] == (hives["frames"] != new["frames"]).sum()
    assert "H-" in found.sentence


def test_a_given_key_may_be_of_several_columns_and_leaves_repeats_out(hives):
    old = pd.concat([hives.assign(round=1), hives.assign(round=2)], ignore_index=True)
    new = old.drop(index=[0, 1]).reset_index(drop=True)
    (rows,) = nachsicht.compare(old, new, key=["tag", "round"]).document.rows
    assert (rows.added, rows.removed, rows.changed) == (0, 2, 0)
    (rows,) = nachsicht.compare(old, new, key="tag").document.rows
    assert rows.duplicate_keys == (len(old), len(new) - 2)
    assert rows.unchanged == 0


def test_a_key_that_no_longer_names_one_row_is_found(hives):
    twice = pd.concat([hives, hives.iloc[:50].assign(honey=-1.0)], ignore_index=True)
    found = nachsicht.compare(hives, twice, key="tag").findings
    assert [(f.code, f.evidence["rows"]) for f in found if f.code == "key_not_unique"] == [
        ("key_not_unique", 100)
    ]


def test_a_key_that_is_not_there_is_an_error(hives):
    with pytest.raises(nachsicht.SettingsError, match=r"no column tagg.*Did you mean tag"):
        nachsicht.compare(hives, hives, key="tagg")


cell = st.sampled_from(["a", "b", None])
some_rows = st.lists(st.tuples(cell, st.integers(0, 2)), min_size=1, max_size=25)


@given(some_rows, some_rows)
def test_whole_rows_are_compared_as_multisets(old, new):
    tables = [
        pa.table({"x": pa.array([r[0] for r in side], pa.string()), "y": [r[1] for r in side]})
        for side in (old, new)
    ]
    (rows,) = nachsicht.compare(*tables).document.rows
    left = list(old)
    same = 0
    for row in new:
        if row in left:
            left.remove(row)
            same += 1
    assert (rows.key, rows.unchanged) == ((), same)
    assert (rows.added, rows.removed) == (len(new) - same, len(old) - same)


def test_columns_of_other_types_are_compared_by_value(hives):
    new = hives.assign(frames=hives["frames"].astype(float), seen=hives["seen"].dt.date)
    (rows,) = nachsicht.compare(hives, new).document.rows
    assert (rows.unchanged, rows.changed, rows.not_compared) == (N, 0, ())


@pytest.mark.parametrize(
    ("key", "told"), [("tag", "Estimated from stored profiles by tag"), ("frames", "not compared")]
)
def test_profiles_alone_tell_at_most_about_how_many_rows_came_and_went(hives, key, told):
    old, new = nachsicht.profile(hives, label="a"), nachsicht.profile(hives, label="b")
    compared = nachsicht.compare(old, new, key=key)
    assert compared.document.rows == ()
    for text in (" ".join(str(compared).split()), compared.to_markdown(), compared.to_html()):
        assert told in text


@pytest.mark.parametrize(("before", "weight"), [(0, "act"), (80, "note")])
def test_more_repeats_weigh_less_where_rows_stood_twice_before(before, weight):
    """Scattered, and no column names a row: a survey, in which people answer alike."""
    rng = np.random.default_rng(6)

    def version(rows, twice):
        frame = pd.DataFrame({name: rng.normal(size=rows).round(4) for name in "ab"})
        both = pd.concat([frame, frame.sample(twice, random_state=1)])
        return both.sample(frac=1, random_state=2).reset_index(drop=True)

    made = nachsicht.compare(version(920, before), version(850, 150))
    (told,) = [finding for finding in made.findings if finding.code == "new_duplicate_rows"]
    assert told.severity == weight
    assert told.evidence["rows"] == 150


@pytest.fixture(scope="module")
def answers():
    """A survey of three questions, in which most rows equal another."""
    rng = np.random.default_rng(11)
    return pd.DataFrame({name: rng.integers(0, 9, 2000) for name in ("swarm", "queen", "honey")})


def said_of_repeats(old, new):
    found = nachsicht.compare(old, new, labels=["old", "new"]).findings
    return [finding for finding in found if finding.code == "new_duplicate_rows"]


def test_rows_written_twice_in_a_row_are_told_though_equal_rows_are_usual(answers):
    twice = np.random.default_rng(2).random(len(answers)) < 0.1
    new = answers.loc[answers.index.repeat(1 + twice)].reset_index(drop=True)
    (told,) = said_of_repeats(answers, new)
    assert told.form == "consecutive"
    assert told.severity == "act"
    assert told.evidence["rows"] == (new == new.shift()).all(axis=1).sum()


def test_rows_that_were_only_sorted_are_not_told_as_repeated(answers):
    assert not said_of_repeats(answers, answers.sort_values(["swarm", "queen", "honey"]))


def test_rows_imported_again_under_new_numbers_are_told_though_equal_rows_are_usual(answers):
    old = answers.assign(number=np.arange(1, 2001))
    again = old.tail(150).assign(number=np.arange(9001, 9151))
    (told,) = said_of_repeats(old, pd.concat([old, again], ignore_index=True))
    assert (told.form, told.columns) == ("renewed", ("number",))
    assert (told.evidence["first_row"], told.evidence["last_row"]) == (2001, 2150)
    assert told.evidence["first_original_row"] == 1851


def shifts(rng):
    """Three columns that name a row together, two of which never do."""
    days = pd.date_range("2025-01-01", periods=90)
    rows = [(day, yard, turn) for day in days for yard in "ABC" for turn in ("early", "late")]
    frame = pd.DataFrame(rows, columns=["day", "yard", "turn"])
    return frame.assign(
        honey=rng.normal(5, 1, len(frame)).round(1), wet=rng.random(len(rows)) < 0.5
    )


def test_three_columns_with_a_date_are_found_to_be_the_key():
    rng = np.random.default_rng(4)
    old = shifts(rng)
    more = rng.random(len(old)) < 0.2
    new = old.assign(honey=old.honey + 3 * more).sample(frac=0.9, random_state=1)
    rows = nachsicht.compare(old, new).document.rows[0]
    assert (rows.key, rows.key_detected) == (("day", "yard", "turn"), True)
    assert rows.changed_cells[0].rows == more[new.index].sum()


def test_dates_and_levels_that_name_other_rows_are_no_key():
    old = shifts(np.random.default_rng(4))
    half = old.sample(frac=0.5, random_state=1)
    assert nachsicht.compare(half, old.drop(half.index)).document.rows[0].key == ()
