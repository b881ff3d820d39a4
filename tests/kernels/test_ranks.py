"""Places in rising order, and hashes of texts, whatever the numbers and texts are."""

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
import scipy.stats
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp

from nachsicht.arrow.hashing import hash_values
from nachsicht.kernels.ranks import doubled_ranks, longer_runs_of, order_of, repeated, runs_of
from nachsicht.stats.sorted_array import SortedNumbers

pytestmark = pytest.mark.usefixtures("either_way")

NUMBERS = st.one_of(
    hnp.arrays(np.float64, st.integers(0, 40), elements=st.floats(allow_nan=False)),
    # Neighbours that differ in their last bits alone, and many that are equal.
    hnp.arrays(np.int64, st.integers(0, 40), elements=st.integers(0, 9)).map(
        lambda steps: 1.0 + steps * np.finfo(float).eps
    ),
    hnp.arrays(np.int64, st.integers(0, 40)),
    hnp.arrays(np.uint64, st.integers(0, 40)),
    hnp.arrays(np.int8, st.integers(0, 40)),
)


@given(NUMBERS)
def test_the_order_is_the_stable_one(values):
    assert np.array_equal(order_of(values), np.argsort(values, kind="stable"))


@given(NUMBERS)
def test_ranks_are_those_of_scipy(values):
    assert np.array_equal(doubled_ranks(values), 2 * scipy.stats.rankdata(values))


@given(NUMBERS)
def test_runs_are_those_of_numpy(values):
    distinct, counts = runs_of(np.sort(values))
    expected = np.unique(values, return_counts=True)
    assert np.array_equal(distinct, expected[0])
    assert np.array_equal(counts, expected[1])


@given(NUMBERS, st.integers(1, 9), st.integers(0, 300))
def test_longer_runs_are_those_of_numpy_that_are(values, times, alone):
    values = np.sort(np.concatenate((values, np.repeat(values[:3], times), np.arange(alone))))
    _, places, counts = np.unique(values, return_index=True, return_counts=True)
    starts, lengths = longer_runs_of(values)
    assert np.array_equal(starts, places[counts > 1])
    assert np.array_equal(lengths, counts[counts > 1])


def test_more_longer_runs_than_are_found_at_once():
    values = np.repeat(np.arange(150_000), np.tile([1, 2, 3], 50_000))
    starts, lengths = longer_runs_of(values)
    assert np.array_equal(values[starts], np.arange(150_000)[np.arange(150_000) % 3 > 0])
    assert np.array_equal(lengths, np.tile([2, 3], 50_000))


@pytest.mark.parametrize("rows", [3, 4_000, 40_000])
@pytest.mark.parametrize("different", [1, 2, 90, 3_000, 100_000])
def test_the_outermost_values_and_their_rows(rows, different):
    values = np.append(np.random.default_rng(rows).integers(0, different, rows), [-1, different])
    numbers = SortedNumbers(np.sort(values))
    counted = pd.Series(values).value_counts().sort_index()
    assert numbers.distinct == len(counted)
    assert numbers.once == (counted == 1).sum()
    assert numbers.distinct_values.tolist() == counted.index.tolist()
    assert numbers.distinct_counts.tolist() == counted.tolist()
    for most in (1, 10, 2_000):
        for found, told in (
            (numbers.lowest(most), counted[:most]),
            (numbers.highest(most), counted[::-1][:most]),
        ):
            assert found[0].tolist() == told.index.tolist()
            assert found[1].tolist() == told.tolist()
        assert numbers.lowest_once(most).tolist() == counted[counted == 1].index[:most].tolist()


@given(NUMBERS)
def test_what_is_repeated_is_what_pandas_groups(values):
    places, starts = repeated(values)
    found = [part.tolist() for part in np.split(places, starts)[1:]]
    groups = pd.Series(range(len(values)), dtype=int).groupby(values)
    assert found == [rows.tolist() for _, rows in groups if len(rows) > 1]


def test_a_level_that_is_none_is_an_error():
    codes = pa.Array.from_buffers(pa.int32(), 2, [None, pa.py_buffer(np.array([0, 9], np.int32))])
    levels = pa.DictionaryArray.from_arrays(codes, pa.array(["calm"]), safe=False)
    with pytest.raises(IndexError, match="row 1 has level 9 of 1"):
        hash_values(levels)


def test_many_numbers_that_differ_in_their_last_bits():
    rng = np.random.default_rng(3)
    values = np.concatenate((rng.normal(size=3000), 1 + rng.integers(0, 99, 3000) * 2.0**-52))
    assert np.array_equal(doubled_ranks(values), 2 * scipy.stats.rankdata(values))
    assert np.array_equal(order_of(values), np.argsort(values, kind="stable"))
    many = np.tile(values, 2)
    places, starts = repeated(many)
    assert np.array_equal(places, np.argsort(many, kind="stable"))
    assert np.array_equal(np.diff(starts, append=len(many)), np.unique(many, return_counts=True)[1])


@given(st.lists(st.one_of(st.text(), st.text("ab", min_size=7, max_size=40))))
def test_texts_share_a_hash_where_they_are_equal_and_nowhere_else(texts):
    hashes = hash_values(pa.array(texts, pa.large_string()))
    assert len(np.unique(hashes)) == len(set(texts))
    one_by_one = [hash_values(pa.array([text], pa.string()))[0] for text in texts]
    assert hashes.tolist() == one_by_one
