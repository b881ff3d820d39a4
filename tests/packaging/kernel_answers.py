"""What the compiled kernels answer on fixed values, a digest each: to be the same on every machine.

Needs NumPy alone, so that it runs where little else does, such as under an emulator of another
processor. Sums are compared bit by bit too: they are added in one order everywhere.
"""

import hashlib

import numpy as np

from nachsicht.kernels.compiled import dictionary, hashing, normal, ranking, sums, text

RNG = np.random.Generator(np.random.PCG64(2718))
WORDS = ["", "a", "Drone", "queen cell", "ß", "Wabenhonig", "x" * 40, "12 kg", "hive 0007", "\0b"]


def digest(*found: object) -> str:
    """A short name of arrays and numbers, whatever the order of bytes here."""
    whole = hashlib.sha256()
    for each in found:
        array = np.asarray(each)
        whole.update(array.astype(array.dtype.newbyteorder("<")).tobytes())
    return whole.hexdigest()[:16]


def texts(n: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Some texts one after the other."""
    chosen = [WORDS[i].encode() for i in RNG.integers(0, len(WORDS), n)]
    stops = np.cumsum([len(one) for one in chosen])
    data = np.frombuffer(b"".join(chosen), np.uint8)
    return data, stops - [len(one) for one in chosen], stops


def main() -> None:
    """Print a line for each kernel."""
    floats = np.round(RNG.normal(50, 12, 5000), 2)
    whole, many = RNG.integers(-90, 90, 5000), texts(5000)
    hashes, n = np.zeros(5000, np.uint64), 5000
    hashing.mix(whole.view(np.uint64), 1, 7, False, hashes)
    print("mix", digest(hashes))
    hashing.hash_floats(floats, 3, 7, False, hashes)
    print("hash_floats", digest(hashes))
    hashing.hash_texts(*many, 7, False, hashes)
    print("hash_texts", digest(hashes))
    encoder, codes = dictionary.DictionaryEncoder(), np.zeros(n, np.int32)
    encoder.add(*many, codes)
    print("add", digest(codes))
    encoder, numbers = dictionary.DictionaryEncoder(), np.zeros(20_000, np.uint64)
    written, _ = encoder.count_runs(*many, 32, np.ones(n, np.int64), 0, numbers)
    counts = np.zeros(encoder.found, np.int64)
    encoder.counts(counts)
    print("count_runs", digest(numbers[:written], counts))
    measured = [np.zeros(n, kind) for kind in (np.int32, np.int32, np.uint8, np.uint8, np.uint8)]
    text.measure(*many, *measured)
    print("measure", digest(*measured))
    for name in ("shaped", "in_words"):
        into = np.zeros_like(many[0])
        getattr(text, name)(many[0], into)
        print(name, digest(into))
    words, places = np.zeros(n, np.uint64), np.zeros(n, np.int64)
    low, high = ranking.sortable_words(floats, words)
    width = (n - 1).bit_length()
    ranking.pack_rows(words, low, max((high - low).bit_length() + width - 64, 0), width)
    words.sort()
    print("sorted_rows", ranking.sorted_rows(words, width, floats, places), digest(places))
    starts, lengths = np.zeros((2, n), np.int64)
    found, _ = ranking.longer_runs(np.sort(floats), 0, starts, lengths)
    print("longer_runs", digest(starts[:found], lengths[:found]))
    print("away_from", digest(sums.away_from(floats, 49.9)))
    print("powers", digest(*sums.powers(floats, 0.25, 12.0)))
    into = np.zeros(n)
    left = sums.centred(whole, (whole > -80).view(np.uint8), into)
    print("centred", digest(*left, into))
    rows, into = RNG.normal(size=(9, 3000)), np.zeros((9, 9))
    sums.products(rows, into)
    print("products", digest(into))
    shares, into = np.linspace(0.001, 0.999, 999), np.zeros(999)
    normal.quantiles(shares, into)
    print("quantiles, to 12 digits", digest(np.round(into, 12) + 0.0))


if __name__ == "__main__":
    main()
