"""Cells that are drawn as missing are, the tree is SciPy's, runs are found where they are."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.cluster.hierarchy import cophenet, linkage
from scipy.spatial.distance import pdist
from tests.output.test_page_data import data_of

import nachsicht
from nachsicht.table.missing.ranges import densest_run


def bits_of(matrix):
    """Column by row, whether the cell is missing."""
    packed = np.frombuffer(matrix.cells, np.uint8).reshape(len(matrix.columns), -1)
    return np.unpackbits(packed, axis=1, count=matrix.rows).astype(bool)


def gappy(rows, columns, seed, share=0.2):
    """Quantities, texts and flags with gaps; a number in each row says which it is."""
    rng = np.random.default_rng(seed)
    frame = pd.DataFrame({"row": np.arange(rows, dtype=float)})
    for i in range(columns):
        values = rng.normal(size=rows).round(3).astype(object)
        if i % 3 == 1:
            values = np.array([f"went well {j} times" for j in range(rows)], dtype=object)
        values[rng.random(rows) < share * rng.random()] = None
        frame[f"c{i}"] = values if i % 3 == 1 else pd.to_numeric(values)
    return frame


@settings(max_examples=25)
@given(st.integers(1, 900), st.integers(1, 7), st.integers(0, 10**6))
def test_what_is_drawn_as_missing_is(rows, columns, seed):
    frame = gappy(rows, columns, seed)
    document = nachsicht.profile(frame, kinds={"row": "quantity"}).document
    matrix = document.missing_matrix
    if not frame.isna().any().any():
        assert matrix is None
        return
    having = {name for name in frame if frame[name].isna().any()}
    assert {*matrix.columns} == having
    assert matrix.rows == min(rows, 400)
    if rows <= 400:  # all rows, in their order
        assert (bits_of(matrix) == frame[[*matrix.columns]].isna().to_numpy().T).all()


@pytest.mark.parametrize("seed", range(4))
def test_the_tree_is_that_of_average_linkage_over_jaccards_distance(seed):
    frame = gappy(600, 8, seed, share=0.6)
    frame["twin"] = frame["c0"].where(frame["c0"].isna(), 1.0)
    matrix = nachsicht.profile(frame).document.missing_matrix
    apart = pdist(frame[[*matrix.columns]].isna().to_numpy().T, "jaccard")
    ours = np.array([(*merge, 0) for merge in matrix.merges], float)
    sizes = [1] * len(matrix.columns)
    for merge in ours:
        sizes.append(sizes[int(merge[0])] + sizes[int(merge[1])])
        merge[3] = sizes[-1]
    assert cophenet(ours) == pytest.approx(cophenet(linkage(apart, "average")), abs=1e-4)
    together = abs(matrix.columns.index("c0") - matrix.columns.index("twin"))
    assert together == 1


def test_of_many_columns_those_with_the_most_missing_values_are_kept():
    frame = gappy(300, 1, 0)
    for i in range(70):
        frame[f"many{i}"] = np.where(np.arange(300) < 40 + i, np.nan, 1.0)
    frame["one"] = np.where(np.arange(300) == 5, np.nan, 2.0)
    matrix = nachsicht.profile(frame).document.missing_matrix
    assert len(matrix.columns) == 60
    assert "one" not in matrix.columns
    assert "many69" in matrix.columns
    assert matrix.left_out == frame.isna().any().sum() - 60


@settings(max_examples=60)
@given(st.integers(10, 120), st.data(), st.integers(0, 10**6))
def test_a_run_of_gaps_is_found_where_it_is(parts, data, seed):
    first = data.draw(st.integers(0, parts - 2))
    last = data.draw(st.integers(first, min(first + parts // 2, parts - 2)))
    rng = np.random.default_rng(seed)
    share = np.full(parts, 0.02)
    share[first : last + 1] = 0.8
    run = densest_run(rng.binomial(64, share).tolist(), [64] * parts)
    assert (run.first, run.last) == (first, last)
    assert run.missing / run.rows > 0.6


def test_gaps_by_chance_are_no_run():
    rng = np.random.default_rng(5)
    found = [
        densest_run(rng.binomial(64, rng.uniform(0.01, 0.9), 100).tolist(), [64] * 100)
        for _ in range(200)
    ]
    assert found == [None] * 200


def test_rows_and_months_without_a_value_are_told_on_the_page():
    n = 4000
    days = pd.date_range("2024-01-01", periods=n, freq="3h")
    frame = pd.DataFrame({"on": days, "kg": np.random.default_rng(0).normal(30, 3, n)})
    frame.loc[970:1447, "kg"] = np.nan  # from May to June
    made = nachsicht.profile(frame, time_column="on")
    rows, months = made.document.missing_ranges
    assert (rows.by, months.by) == (None, "on")
    assert abs(rows.first - 971) < 64
    assert abs(rows.last - 1448) < 64
    assert (months.first[:7], months.last[:7]) == ("2024-05", "2024-06")
    (kg,) = data_of(made.to_html())["page"]["missing"]["columns"]
    in_rows, in_time = kg["views"][0]["among"]
    assert in_rows.startswith(f"rows {rows.first} to 1,")
    assert in_time.startswith("on from 2024-05 to 2024-06: 9")
