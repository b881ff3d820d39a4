"""A compiled kernel answers as its plain twin, bit by bit: hashes, codes, places and bytes."""

import inspect
from itertools import pairwise

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra import numpy as hnp

from nachsicht.arrow.text_buffer import bytes_of
from nachsicht.kernels import COMPILED, dictionary, hashing, plain, text
from nachsicht.kernels.compiled import MODULES

pytestmark = pytest.mark.skipif(not COMPILED, reason="there are no compiled kernels to hold")

TEXTS = st.lists(
    st.text(max_size=30) | st.text("ab0 \0", max_size=10) | st.binary(max_size=18), max_size=40
).map(lambda texts: [t if isinstance(t, bytes) else t.encode() for t in texts])
SOME_TEXTS = TEXTS.filter(bool)
WORDS = hnp.arrays(np.uint64, st.integers(0, 30))
ANY_64 = st.integers(0, 2**64 - 1)


def buffers(texts, before=b""):
    """The texts, with bytes before and behind them that are none of theirs."""
    data, starts, stops = bytes_of(pa.array([before, *texts, before], pa.large_binary()))
    return data, starts[1:-1].copy(), stops[1:-1].copy()


def both(name, module, *arguments, fill):
    """What both ways return, and what they fill in arrays of the given kinds and lengths."""
    found = []
    for way in (module, plain):
        arrays = [np.zeros(length, kind) for kind, length in fill]
        found.append((getattr(way, name)(*arguments, *arrays), [a.tolist() for a in arrays]))
    return found


def test_every_compiled_function_has_a_twin():
    for module in MODULES:
        room = __import__(f"nachsicht.kernels.compiled.{module}", fromlist=["_"])
        names = [n for n, v in vars(room).items() if callable(v) and n[0] != "_"]
        assert names
        for name in names:
            assert callable(getattr(plain, name)), (module, name)
            if inspect.isfunction(getattr(plain, name)):
                assert getattr(plain, name).__doc__, name


@given(WORDS, ANY_64, ANY_64, st.booleans())
def test_hashes_of_numbers(numbers, times, salt, adding):
    one, other = numbers.copy(), numbers.copy()
    hashing.mix(numbers, times, salt, adding, one)
    plain.mix(numbers, times, salt, adding, other)
    assert np.array_equal(one, other)


@given(hnp.arrays(np.float64, st.integers(0, 30)), ANY_64, ANY_64)
def test_hashes_of_floats(numbers, missing, salt):
    ours, twins = both(
        "hash_floats", hashing, numbers, missing, salt, False, fill=[(np.uint64, len(numbers))]
    )
    assert ours == twins


@given(TEXTS, st.binary(max_size=9), ANY_64)
def test_hashes_of_texts(texts, before, salt):
    ours, twins = both(
        "hash_texts", hashing, *buffers(texts, before), salt, False, fill=[(np.uint64, len(texts))]
    )
    assert ours == twins


def encoders(texts):
    """Both encoders after they were given the texts in two pieces, with all that they hold."""
    found = []
    held = buffers(texts[: len(texts) // 2]), buffers(texts[len(texts) // 2 :])
    for encoder in (dictionary.DictionaryEncoder(), plain.DictionaryEncoder()):
        codes = []
        for data, starts, stops in held:
            into = np.empty(len(starts), np.int32)
            encoder.add(data, starts, stops, into)
            encoder.count(into, np.arange(1, len(into) + 1))
            codes += into.tolist()
        found.append((codes, *contents(encoder)))
    return found


def contents(encoder):
    counts, offsets = np.empty(encoder.found, np.int64), np.empty(encoder.found + 1, np.int64)
    data = np.empty(encoder.byte_count(), np.uint8)
    encoder.counts(counts)
    encoder.texts(offsets, data)
    return counts.tolist(), offsets.tolist(), data.tobytes()


@given(TEXTS)
def test_codes_of_texts(texts):
    ours, twins = encoders(texts + texts[::2])
    assert ours == twins


@given(SOME_TEXTS, st.sampled_from([1, 3, 1000]), st.sampled_from([0, 5, 64]))
def test_parts_of_texts(texts, rows, room):
    told = []
    held = buffers(texts, b"a 0")
    for encoder in (dictionary.DictionaryEncoder(), plain.DictionaryEncoder()):
        numbers, next_text, words = np.empty(room, np.uint64), 0, []
        while next_text < len(texts):
            written, next_text = encoder.count_runs(
                *held, 32, np.full(len(texts), rows), next_text, numbers
            )
            words += [int(n).to_bytes(8, "little").rstrip(b"\0") for n in numbers[:written]]
        counts, offsets, data = contents(encoder)
        all_words = dict(zip([data[a:b] for a, b in pairwise(offsets)], counts, strict=True))
        for word in words:
            all_words[word] = all_words.get(word, 0) + 1
        told.append(all_words)
    assert told[0] == told[1]


@given(TEXTS, st.binary(max_size=9))
def test_what_is_measured_of_texts(texts, before):
    n = len(texts)
    fill = [(np.int32, n), (np.int32, n), (np.uint8, n), (np.uint8, n), (np.uint8, n)]
    ours, twins = both("measure", text, *buffers(texts, before), fill=fill)
    assert ours == twins


@given(st.lists(st.from_regex(rb"ab[0-9]{0,20}x?", fullmatch=True), max_size=20))
def test_numbers_behind_what_texts_begin_with(texts):
    ours, twins = both(
        "numbers_behind", text, *buffers(texts, b"9"), 2, fill=[(np.int64, len(texts))]
    )
    found = ours[0]
    assert found == twins[0]
    assert ours[1][0][:found] == twins[1][0][:found]
    if texts:
        assert text.common_start(*buffers(texts)) == plain.common_start(*buffers(texts))


@given(TEXTS, st.data())
def test_texts_that_are_kept_and_gathered(texts, data):
    flags = data.draw(hnp.arrays(np.bool_, len(texts)))
    held = buffers(texts)
    length, chosen = int(held[2][-1]) if texts else 0, np.flatnonzero(flags)
    few = held[0], held[1][chosen], held[2][chosen]
    ours, twins = both(
        "kept",
        text,
        *held,
        flags.view(np.uint8),
        fill=[(np.int64, len(chosen) + 1), (np.uint8, length)],
    )
    assert ours[1][0] == twins[1][0]
    assert ours[1][1][: ours[1][0][-1]] == twins[1][1][: ours[1][0][-1]]
    ours, twins = both("gathered", text, *few, fill=[(np.uint8, ours[1][0][-1])])
    assert ours == twins


@given(st.sets(st.binary(max_size=12), min_size=1, max_size=30), st.data())
def test_first_texts(texts, data):
    texts = sorted(texts, key=lambda t: t[::-1])
    keys = data.draw(hnp.arrays(np.int64, len(texts), elements=st.integers(1, 3)))
    most = data.draw(st.integers(1, len(texts)))
    for falling in (False, True):
        ours, twins = both(
            "first_texts", text, *buffers(texts), keys, falling, fill=[(np.int64, most)]
        )
        assert sorted(ours[1][0]) == sorted(twins[1][0])


@given(st.lists(st.tuples(st.binary(max_size=10), st.integers(1, 3)), min_size=1), st.booleans())
def test_texts_that_are_equal_in_runs(runs, broken):
    texts = [word for word, times in runs for _ in range(times)]
    if broken:
        texts[-1] += b"!"
    starts = np.cumsum([0, *(times for _, times in runs)])[:-1]
    arguments = (*buffers(texts), np.arange(len(texts)), starts)
    found = text.equal_in_runs(*arguments)
    assert found == plain.equal_in_runs(*arguments)
    assert found == (not broken or runs[-1][1] == 1)
