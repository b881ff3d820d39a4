"""Which column is which: by name, and by likeness where the name changed."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import nachsicht
from nachsicht.comparison.align_columns import CONFIDENT, likeness, match_columns

RNG = np.random.default_rng(20)
N = 600
YARD = np.array(["north", "south", "mill", "heath", "orchard", "creek"])
CHECKS = pd.DataFrame(
    {
        "hive": [f"H{i:04d}" for i in RNG.permutation(N)],
        "yard": RNG.choice(YARD, N, p=[0.3, 0.25, 0.2, 0.1, 0.1, 0.05]),
        "honey_kg": RNG.gamma(4, 5, N).round(1),
        "frames": RNG.integers(4, 21, N),
        "checked": pd.Timestamp("2024-04-01") + pd.to_timedelta(RNG.integers(0, 150, N), "D"),
    }
)


def document(frame):
    return nachsicht.profile(frame).document


@given(st.permutations(range(CHECKS.shape[1])))
@settings(max_examples=12, deadline=None)
def test_columns_match_by_name_whatever_their_order(order):
    old, new = document(CHECKS), document(CHECKS.iloc[:, list(order)])
    pairs = match_columns(old, new)
    assert [pair.new.name for pair in pairs] == [c.name for c in new.columns]
    assert all(pair.old.name == pair.new.name for pair in pairs)
    assert not any(pair.renamed for pair in pairs)


def test_every_column_is_in_one_pair_and_removed_ones_come_last():
    new = CHECKS.drop(columns=["hive", "frames"]).assign(queen=RNG.choice(["white", "blue"], N))
    pairs = match_columns(document(CHECKS), document(new))
    assert [(p.old and p.old.name, p.new and p.new.name) for p in pairs] == [
        ("yard", "yard"),
        ("honey_kg", "honey_kg"),
        ("checked", "checked"),
        (None, "queen"),
        ("hive", None),
        ("frames", None),
    ]


@pytest.mark.parametrize("name", CHECKS.columns)
def test_a_renamed_column_is_found_by_what_it_holds(name):
    half = CHECKS.sample(frac=0.8, random_state=3)
    old, new = document(CHECKS), document(half.rename(columns={name: f"{name}_of_check"}))
    (pair,) = [pair for pair in match_columns(old, new) if pair.renamed]
    assert (pair.old.name, pair.new.name) == (name, f"{name}_of_check")
    assert CONFIDENT <= pair.confidence <= 1


def test_another_kind_or_another_content_is_another_column():
    columns = {c.name: c for c in document(CHECKS).columns}
    other = document(CHECKS.assign(frames=RNG.normal(900, 2, N).round(2))).columns
    assert likeness(columns["yard"], columns["frames"]) == 0
    assert likeness(columns["frames"], {c.name: c for c in other}["frames"]) < CONFIDENT
    for column in columns.values():
        assert likeness(column, column) > CONFIDENT


def test_names_that_repeat_match_in_turn():
    twice = CHECKS[["honey_kg", "frames"]].set_axis(["kg", "kg"], axis=1)
    pairs = match_columns(document(twice), document(twice))
    assert [(p.old.position, p.new.position) for p in pairs] == [(0, 0), (1, 1)]
