"""Rows that show a finding, and the largest groups of repeated rows."""

import numpy as np
import pandas as pd
import pytest

import nachsicht

RNG = np.random.default_rng(5)
N = 900


def hives():
    return pd.DataFrame(
        {
            "tag": [f"H{i:04d}" for i in range(N)],
            "apiary": RNG.choice(["Kleehof", "Moorblick", "Finkenau"], N),
            "weight": np.round(RNG.normal(30, 5, N), 1),
            "note": [f"frame {a} of box {b} looked at" for a, b in RNG.integers(0, 99, (N, 2))],
        }
    )


def shown(document, code):
    (finding,) = [finding for finding in document.findings if finding.code == code]
    return {
        rows.version: [
            (row.row, dict(zip(rows.columns, row.cells, strict=True))) for row in rows.rows
        ]
        for rows in finding.example_rows
    }


@pytest.fixture(scope="module")
def compared():
    before = hives()
    after = before.copy()
    after.loc[::40, "weight"] = -99.0
    after.loc[after.index[::3], "apiary"] = None
    return nachsicht.compare(before, after, labels=["may", "june"]).document


def test_rows_with_the_value_are_shown_with_their_numbers(compared):
    rows = shown(compared, "sentinel_value_new")
    assert list(rows) == ["june"]
    assert [row for row, _ in rows["june"]] == [1, 41, 81, 121]
    assert {cells["weight"] for _, cells in rows["june"]} == {"-99"}
    assert [cells["tag"] for _, cells in rows["june"]] == ["H0000", "H0040", "H0080", "H0120"]


def test_rows_of_both_versions_are_shown(compared):
    rows = shown(compared, "missing_increased")
    assert [cells["apiary"] for _, cells in rows["june"]] == [None] * 4
    assert [row for row, _ in rows["june"]] == [1, 4, 7, 10]
    assert all(cells["apiary"] is not None for _, cells in rows["may"])


def test_what_is_masked_is_masked_in_the_rows_too():
    before = hives()
    after = before.assign(weight=before["weight"].mask(RNG.random(N) < 0.3))
    document = nachsicht.compare(before, after, mask=["tag", "apiary"]).document
    told = str(shown(document, "missing_increased"))
    assert "weight" in told
    assert "Kleehof" not in told
    assert "H0" not in told


def test_the_largest_groups_of_equal_rows_are_told():
    frame = hives()[["apiary", "weight"]]
    frame.loc[500:503] = ["Kleehof", 12.5]
    frame.loc[800:801] = ["Kleehof", 99.5]
    first = nachsicht.profile(frame, kinds={"weight": "quantity"}).document.duplicates.groups
    sizes = frame.groupby(["apiary", "weight"]).size()
    assert [group.rows for group in first] == sorted(sizes, reverse=True)[:5]
    for group in first:
        rows = frame.iloc[[place - 1 for place in group.row_numbers]]
        assert len(rows.drop_duplicates()) == 1
        assert group.cells[0] == rows["apiary"].iloc[0]


def test_repeats_in_chosen_columns_and_in_all_but_identifiers_are_those_of_pandas():
    frame = hives()
    frame = pd.concat([frame, frame.iloc[200:230].assign(tag=[f"N{i:04d}" for i in range(30)])])
    document = nachsicht.profile(frame, duplicates_in=["apiary", "weight"]).document
    but_names, chosen = document.duplicates_by_subset
    assert document.duplicates.duplicate_rows == 0
    assert but_names.columns == ("apiary", "weight", "note")
    others = frame.drop(columns="tag")
    assert but_names.duplicate_rows == others.duplicated().sum()
    assert chosen.columns == ("apiary", "weight")
    assert chosen.duplicate_rows == frame[["apiary", "weight"]].duplicated().sum()
    assert sum(chosen.counts_by_block) == chosen.duplicate_rows
    (finding,) = [f for f in document.findings if f.code == "reimported_rows"]
    assert finding.evidence["first_row"] == 901
    assert finding.columns == ("tag",)
    rows = shown(document, "reimported_rows")
    assert [row for row, _ in next(iter(rows.values()))] == [201, 901, 202, 902]


def test_levels_where_a_column_is_missing_far_more_are_told():
    frame = hives()
    there = (frame["apiary"] == "Moorblick") & (RNG.random(N) < 0.6)
    frame["weight"] = frame["weight"].mask(there)
    (among,) = nachsicht.profile(frame).document.missing_hotspots
    assert (among.column, among.by, among.level) == ("weight", "apiary", "Moorblick")
    assert (among.missing, among.elsewhere) == (there.sum(), 0.0)


def test_a_column_may_be_missing_here_and_there_without_a_reason():
    frame = hives().mask(RNG.random((N, 4)) < 0.1)
    assert nachsicht.profile(frame).document.missing_hotspots == ()


@pytest.mark.parametrize("stored", ["float32", "float64", "int16"])
@pytest.mark.parametrize("seed", range(2))
def test_rows_farthest_from_the_median_are_shown_however_they_are_stored(stored, seed):
    rng = np.random.default_rng(seed)
    weight = rng.normal(30, 5, 998)
    weight[5::12] = rng.uniform(60, 90, 83)
    weight = pd.Series(weight).astype(stored)
    (rows,) = shown(nachsicht.profile(pd.DataFrame({"w": weight})).document, "outliers").values()
    away = (weight.astype(float) - weight.astype(float).median()).abs()
    assert [row for row, _ in rows] == sorted(away.nlargest(4).index + 1)
