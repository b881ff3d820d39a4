"""Levels that have an order: drawn in it, and compared by it."""

import json

import numpy as np
import pandas as pd
import pytest
import scipy.stats

import nachsicht

ORDER = ["never", "seldom", "sometimes", "often", "always"]
RNG = np.random.default_rng(4)
OLD, NEW = RNG.choice(5, 900, p=[0.3, 0.3, 0.2, 0.1, 0.1]), RNG.choice(5, 700)


def frame(codes):
    texts = pd.Categorical.from_codes(codes, ORDER, ordered=True)
    return pd.DataFrame({"feeds": texts, "n": range(len(codes))})


def plain(codes):
    return frame(codes).astype({"feeds": str})


def described(codes, folder):
    path = folder / f"checks_{len(codes)}.csv"
    plain(codes).to_csv(path, index=False)
    field = {"name": "feeds", "type": "string", "categories": ORDER, "categoriesOrdered": True}
    schema = {"fields": [field, {"name": "n", "type": "integer"}]}
    path.with_suffix(".schema.json").write_text(json.dumps(schema))
    return path


WAYS = {
    "ordered categories": lambda codes, _: (frame(codes), {}),
    "a setting": lambda codes, _: (plain(codes), {"level_orders": {"feeds": ORDER}}),
    "a description": lambda codes, folder: (described(codes, folder), {}),
    "in pieces": lambda codes, folder: (described(codes, folder), {"memory_bytes": 100_000}),
}


@pytest.mark.parametrize("give", WAYS.values(), ids=WAYS)
def test_levels_are_drawn_and_compared_in_their_order(give, tmp_path):
    (old, options), (new, _) = (give(codes, tmp_path) for codes in (OLD, NEW))
    changes = nachsicht.compare(old, new, **options).document
    assert changes.versions[-1].column("feeds").stats.level_order == tuple(ORDER)
    (column,) = [column for column in changes.columns if column.name == "feeds"]
    assert list(column.distribution.levels) == ORDER
    measures = {m.name: m.value for m in column.transitions[0].measures}
    assert measures["level_steps"] == pytest.approx(scipy.stats.wasserstein_distance(OLD, NEW))
    u = scipy.stats.mannwhitneyu(NEW, OLD).statistic
    assert measures["superiority"] == pytest.approx(u / (len(OLD) * len(NEW)))


def test_an_order_that_lacks_a_level_is_none():
    document = nachsicht.profile(plain(OLD), level_orders={"feeds": ORDER[:-1]}).document
    assert document.column("feeds").stats.level_order == ()


def test_masked_levels_have_no_order():
    made = nachsicht.profile(frame(OLD), mask="fee*")
    assert not {*ORDER} & {*str(made.document).split("'")}
