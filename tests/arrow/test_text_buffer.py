"""Texts as bytes: numbered, measured, split and chosen as Arrow and Python would."""

from collections import Counter

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pytest
from hypothesis import given
from hypothesis import strategies as st

from nachsicht.arrow.hashing import hash_values
from nachsicht.arrow.text_buffer import (
    bytes_of,
    coded,
    counted,
    counted_by_hashes,
    counted_runs,
    encoded,
    measured,
    texts_at,
)
from nachsicht.stats.value_counts import ValueCounts, mostly_different, observe_texts

pytestmark = pytest.mark.usefixtures("either_way")

#: Empty ones, ones that share their beginning, and ones that begin or end with space.
TEXTS = st.lists(st.one_of(st.text(max_size=20), st.text("ab ", max_size=4)), max_size=60)
SPACES = " \t\n\v\f\r"


def strings(texts):
    return pa.array(texts, pa.large_string())


@given(TEXTS, st.integers(0, 3))
def test_texts_are_numbered_as_they_first_occur(texts, offset):
    array = strings(["left out"] * offset + texts)[offset:]
    codes, different = coded(bytes_of(array))
    expected = pc.dictionary_encode(array)
    assert codes.tolist() == expected.indices.to_pylist()
    assert different.to_pylist() == expected.dictionary.to_pylist()


@given(TEXTS)
def test_texts_are_counted_by_their_hashes(texts):
    array = strings(texts)
    different, rows = counted_by_hashes(array, hash_values(array))
    assert list(zip(different.to_pylist(), rows.tolist(), strict=True)) == [*Counter(texts).items()]


def test_texts_that_share_a_hash_and_are_not_equal_are_found():
    texts = strings(["calm", "mites", "calm"])
    assert counted_by_hashes(texts, np.array([7, 7, 7], np.uint64)) is None
    assert counted_by_hashes(texts, np.array([7, 8, 7], np.uint64)).counts.tolist() == [2, 1]


@pytest.mark.parametrize("stored", [pa.string(), pa.large_string(), pa.string_view()], ids=str)
def test_many_different_texts_are_counted_like_few(stored):
    rng = np.random.default_rng(7)
    texts = [f"hive {a:x}" for a in rng.integers(0, 1 << 24, 1 << 17)]
    texts[::9] = [None] * len(texts[::9])
    array = pa.chunked_array([pa.array(texts[:1000], stored), pa.array(texts[1000:], stored)])
    assert mostly_different(array)
    part = observe_texts(array)
    tally = part.counted()
    expected = Counter(text for text in texts if text is not None)
    assert dict(zip(tally.values.to_pylist(), tally.counts.tolist(), strict=True)) == expected
    assert part.missing == texts.count(None)
    assert not mostly_different(pa.array(texts[:100] * 2000, stored))


def test_many_different_texts_are_told_apart():
    rng = np.random.default_rng(5)
    texts = [f"{a:x}" for a in rng.integers(0, 1 << 18, 400_000)]
    array = strings(texts)
    codes, different = coded(bytes_of(array))
    expected = pc.dictionary_encode(array)
    assert different.equals(expected.dictionary)
    assert codes.tolist() == expected.indices.to_pylist()


@given(st.lists(TEXTS.map(lambda t: [None, *t, None]), min_size=1, max_size=4))
def test_a_dictionary_array_holds_the_same_texts(chunks):
    together = [text for chunk in chunks for text in chunk]
    for stored in (pa.string(), pa.large_string(), pa.string_view()):
        chunked = pa.chunked_array([pa.array(chunk, stored) for chunk in chunks], stored)
        found = encoded(chunked)
        assert found.to_pylist() == together
        assert len(set(found.dictionary.to_pylist())) == len(found.dictionary)
    assert encoded(strings(together)).to_pylist() == together


@given(TEXTS)
def test_measures_are_those_of_python(texts):
    found = measured(bytes_of(strings(texts)))
    assert found.characters.tolist() == [len(text) for text in texts]
    assert found.ascii.tolist() == [text.isascii() for text in texts]
    words = ["".join(" " if c in SPACES else c for c in text).split(" ") for text in texts]
    assert found.words.tolist() == [sum(map(bool, parts)) for parts in words]
    data = [text.encode() for text in texts]
    assert found.first.tolist() == [text[0] if text else 0 for text in data]
    assert found.last.tolist() == [text[-1] if text else 0 for text in data]


@given(TEXTS, st.text(max_size=3))
def test_what_may_be_held_is_held_byte_by_byte(texts, sought):
    held = set("".join(texts).encode())
    assert bytes_of(strings(texts)).may_hold(sought) == ({*sought.encode()} <= held)


@given(TEXTS.flatmap(lambda t: st.tuples(st.just(t), st.lists(st.integers(1, 9), min_size=len(t)))))
def test_texts_and_the_runs_in_them_are_counted(told):
    texts, rows = told[0], np.array(told[1][: len(told[0])], np.int64)
    whole, runs = Counter(), Counter()
    for text, n in zip(texts, rows.tolist(), strict=True):
        whole[text] += n
        for run in text.split(" "):
            runs[run] += n * bool(run)
    for found, expected in (
        (counted(bytes_of(strings(texts)), rows), whole),
        (counted_runs(bytes_of(strings(texts)), rows), runs),
    ):
        assert dict(zip(found.texts.to_pylist(), found.counts.tolist(), strict=True)) == +expected


def test_more_runs_than_are_sorted_at_once():
    words = [f"{'comb' * (i % 4)}{i % 5_000}" for i in range(1_500_000)]
    texts = [" ".join(words[i : i + 3]) for i in range(0, 1_200_000, 3)]
    texts.append(" ".join(words[1_200_000:]))  # longer than all that fit
    rows = np.ones(len(texts), np.int64)
    rows[::7] = 2
    expected = Counter()
    for text, n in zip(texts, rows.tolist(), strict=True):
        for word in text.split(" "):
            expected[word] += n
    found = counted_runs(bytes_of(strings(texts)), rows)
    assert dict(zip(found.texts.to_pylist(), found.counts.tolist(), strict=True)) == expected


@given(st.lists(st.text(st.characters(max_codepoint=127)), max_size=20))
def test_letters_of_ascii_texts(texts):
    def letters(of_all):
        return texts_at(of_all, np.arange(len(texts))).to_pylist()

    def shape(c):
        return ("A" if c.isupper() else "a") if c.isalpha() else "9" if c.isdigit() else c

    assert letters(bytes_of(strings(texts)).shapes()) == [
        "".join(map(shape, text)) for text in texts
    ]
    kept = [[c if c.isalnum() or c in "_'" else " " for c in text.lower()] for text in texts]
    assert letters(bytes_of(strings(texts)).in_words()) == ["".join(text) for text in kept]


@given(st.dictionaries(st.text(max_size=4), st.integers(1, 4), max_size=50), st.integers(1, 60))
def test_the_most_frequent_and_the_rarest(counts, most):
    tally = ValueCounts.of(strings(list(counts)), np.array(list(counts.values()), np.int64))
    frequent = sorted(counts.items(), key=lambda item: (-item[1], item[0].encode()))
    assert tally.top(most) == frequent[:most]
    rarest = sorted(counts.items(), key=lambda item: (item[1], item[0].encode()))
    assert tally.top(most, "ascending") == rarest[:most]
