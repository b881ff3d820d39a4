"""Hashes, repeated rows, and where gaps lie; against pandas."""

import numpy as np
import pandas as pd
import pyarrow as pa
from hypothesis import given
from hypothesis import strategies as st

import nachsicht
from nachsicht.arrow.hashing import hash_values
from nachsicht.columns.levels import Grouper
from nachsicht.table.duplicates import RowHashes
from nachsicht.table.missing.by_level import observe_missing_by_level

cell = st.none() | st.sampled_from(["", "a", "ab", "ba", "a\0", "über"])
rows = st.lists(st.tuples(cell, st.none() | st.integers(0, 2), st.booleans()), max_size=30)


def observe_rows(batch):
    hashes = RowHashes(batch.num_rows)
    for position, column in enumerate(batch.columns):
        hashes.add(column, position)
    return hashes.part()


def table_of(values):
    columns = list(zip(*values, strict=True)) or [(), (), ()]
    types = (pa.string(), pa.int32(), pa.bool_())
    return pa.record_batch(
        [pa.array(c, t) for c, t in zip(columns, types, strict=True)], list("abc")
    )


@given(rows, st.integers(0, 30))
def test_repeated_rows_are_those_that_pandas_finds(values, cut):
    found = (
        observe_rows(table_of(values[:cut])).merge(observe_rows(table_of(values[cut:]))).finish()
    )
    repeated = pd.DataFrame(values, columns=list("abc")).astype(object).duplicated()
    assert found.duplicate_rows == repeated.sum()
    assert found.distinct_rows == len(values) - repeated.sum()


def test_a_block_of_repeated_rows_is_placed():
    values = [(f"row {i}", i, True) for i in range(50)]
    twice = values[:30] + values[20:30] + values[30:]
    (block,) = observe_rows(table_of(twice)).finish().runs
    assert (block.first_row, block.last_row, block.first_original_row) == (31, 40, 21)


@given(st.lists(st.integers(0, 6), max_size=60), st.integers(0, 59), st.integers(1, 40))
def test_blocks_repeat_the_rows_that_they_name(values, start, length):
    values = [*values, *values[start : start + length]]
    found = observe_rows(table_of([(None, value, None) for value in values])).finish()
    for block in found.runs:
        size = block.last_row - block.first_row + 1
        first, original = block.first_row - 1, block.first_original_row - 1
        assert original < first
        assert values[first : first + size] == values[original : original + size]


def test_an_import_of_rows_of_which_some_are_equal_is_one_block():
    values = [(f"row {i % 23}", i % 31, True) for i in range(600)]
    values[110] = values[117] = values[105]
    (block, *_) = observe_rows(table_of(values + values[100:400])).finish().runs
    assert (block.first_row, block.last_row, block.first_original_row) == (601, 900, 101)


@given(st.lists(st.text(max_size=12) | st.none(), max_size=50, unique=True))
def test_different_texts_have_different_hashes_in_any_storage(texts):
    plain = pa.array(texts, pa.string())
    hashes = hash_values(plain)
    assert len(set(hashes.tolist())) == len(texts)
    for stored in (
        plain.cast(pa.large_string()),
        plain.dictionary_encode(),
        plain.cast(pa.string_view()),
    ):
        assert (hash_values(stored) == hashes).all()


def test_no_hashes_collide_in_many_similar_values():
    texts = pa.array([f"H-{i:07d}" for i in range(300_000)])
    assert len(np.unique(hash_values(texts))) == 300_000
    assert len(np.unique(hash_values(pa.array(np.arange(300_000) * 0.25)))) == 300_000


def test_nothing_and_zero_are_told_apart_and_both_zeros_are_one():
    hashes = hash_values(pa.array([0.0, -0.0, None, float("nan")]))
    assert hashes[0] == hashes[1] != hashes[2] == hashes[3]


def test_gaps_by_level_are_those_of_a_crosstab():
    frame = pd.DataFrame({"by": [*"aabbbc", None], "v": [1, None, None, None, 2, 3, None]})
    table = pa.Table.from_pandas(frame)
    both = [
        observe_missing_by_level(part, [Grouper(0)]) for part in (table.slice(0, 4), table.slice(4))
    ]
    columns = nachsicht.profile(table).document.columns
    (found,) = both[0].merge(both[1]).finish(columns)
    assert (found.column, found.by) == ("v", "by")
    assert dict(zip(found.levels, found.rows, strict=True)) == {None: 1, "a": 2, "b": 3, "c": 1}
    assert dict(zip(found.levels, found.missing, strict=True)) == {None: 1, "a": 1, "b": 2, "c": 0}


def test_scattered_repeats_of_rows_without_a_name_are_only_noted():
    rng = np.random.default_rng(5)
    answers = pa.table({f"q{i}": rng.integers(1, 9, 400) for i in range(7)})
    scattered = pa.concat_tables([answers, answers.take(rng.permutation(400)[:9])])
    scattered = scattered.take(rng.permutation(409))
    named = answers.append_column("hive_id", pa.array([f"H-{i:03d}" for i in range(400)]))
    weights = [
        [(f.code, str(f.severity)) for f in nachsicht.profile(table).findings if not f.columns]
        for table in (answers, scattered, pa.concat_tables([named, named.slice(100, 9)]))
    ]
    assert weights == [[], [("duplicate_rows", "note")], [("duplicate_rows", "check")]]


def test_few_columns_of_few_levels_repeat_rows_without_a_finding():
    rng = np.random.default_rng(5)
    table = pa.table({"a": rng.integers(0, 3, 500), "b": rng.integers(0, 4, 500)})
    assert nachsicht.profile(table).findings == ()
