"""Delimited files whose content is known, written in any of the ways that people write them."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass, field

import numpy as np

WORDS = ["calm", "lively", "wild", "queen", "seen", "brood", "low", "strong"]
WORDS += ["très", "Käse", "東京", "n'est", "O'Hara"]
#: Signs that end a line in Python's eyes, and in no reader of CSV.
ODD_BREAKS = ("\x0b", "\x0c", "\x85", "\u2028", "\u2029")
ENCODINGS = ("utf-8", "utf-8-sig", "utf-16", "utf-32", "utf-16-le", "cp1252")
NAMES = ("hive", "checked", "yard", "mites", "kg", "note", "code", "temper", "keeper", "zone")


@dataclass
class Made:
    """A file's bytes, and what stands in it."""

    data: bytes
    names: list[str]
    columns: list[list[str]]
    told: dict[str, object] = field(default_factory=dict)


def make(seed: int) -> Made:
    """A file of 12 to 120 rows and one to eight columns."""
    rng = np.random.default_rng(seed)
    rows = int(rng.integers(12, 121))
    single = rng.random() < 0.15
    width = 1 if single else int(rng.integers(2, 9))
    decimal = str(rng.choice([".", ","], p=[0.8, 0.2]))
    delimiter = str(rng.choice([",", ";", "\t", "|"]))
    if decimal == "," and delimiter == ",":
        delimiter = ";"
    encoding = str(rng.choice(ENCODINGS, p=[0.6, 0.1, 0.08, 0.06, 0.04, 0.12]))
    row_names = not single and rng.random() < 0.08
    kinds = [str(rng.choice(list(KINDS))) for _ in range(width)]
    if single:
        kinds = [str(rng.choice(["words", "barred", "name", "whole", "code", "at"]))]
    columns = [KINDS[kind](rng, rows, decimal) for kind in kinds]
    names = list(rng.permutation(NAMES)[:width])
    header = bool(rng.random() < 0.9)
    if not header and not any(k in ("whole", "decimal", "day", "at") for k in kinds):
        header = True  # nobody could tell
    if row_names:
        header = True
        columns = [[f"r{i}" for i in range(rows)], *columns]
    lines = [list(row) for row in zip(*columns, strict=True)]
    end = str(rng.choice(["\n", "\r\n", "\r"], p=[0.6, 0.32, 0.08]))
    style = csv.QUOTE_ALL if rng.random() < 0.15 else csv.QUOTE_MINIMAL
    if end == "\r":  # the writer would not quote the others
        columns = [[value.replace("\n", " ") for value in column] for column in columns]
        lines = [list(row) for row in zip(*columns, strict=True)]
    text = io.StringIO()
    writer = csv.writer(
        text, delimiter="\x1f" if single else delimiter, lineterminator=end, quoting=style
    )
    if header:
        writer.writerow(names)
    writer.writerows(lines)
    written = text.getvalue()
    before = ""
    if header and not single and not row_names and rng.random() < 0.12:
        before = end.join(["Hive checks", "export of the union", "", ""])
    if rng.random() < 0.3:
        written = written[: -len(end)]  # no line end at the end
    if header and not (single or before or row_names) and rng.random() < 0.1:
        # A table that was kept with its row numbers, whose column has no name.
        columns = [list(map(str, range(rows))), *columns]
        body = io.StringIO()
        writer = csv.writer(body, delimiter=delimiter, lineterminator=end, quoting=style)
        writer.writerows(zip(*columns, strict=True))
        written = delimiter + written.split(end, 1)[0] + end + body.getvalue()
        names = ["column_1", *names]
    data = (before + written).encode(encoding, "replace")
    if encoding == "utf-8" and rng.random() < 0.1:
        data, columns = _damaged(rng, data, columns, names, header)
    if encoding == "cp1252":
        columns = [[_as_cp1252(value) for value in column] for column in columns]
    told_names = names if header else [f"column_{i}" for i in range(1, len(columns) + 1)]
    if row_names:
        told_names = ["column_1", *names]
    return Made(
        data,
        told_names,
        columns,
        {
            "seed": seed, "kinds": kinds, "delimiter": delimiter, "encoding": encoding,
            "end": end, "header": header, "single": single, "before": bool(before),
            "row_names": row_names, "decimal": decimal, "style": style,
        },
    )  # fmt: skip


def _damaged(rng, data, columns, names, header):
    """One letter of a file in UTF-8 that has many becomes a byte that is not UTF-8."""
    accents = data.count("è".encode()) + data.count("ä".encode()) + data.count("京".encode())
    place = data.find("très".encode(), len(data) // 3)
    if accents < 4 or place < 0:
        return data, columns
    before = data[:place].count("très".encode())
    seen = iter(range(10**9))

    def spoilt(value: str) -> str:
        parts = value.split("très")
        text = parts[0]
        for part in parts[1:]:
            text += ("tr�s" if next(seen) == before else "très") + part
        return text

    rows = [[spoilt(value) for value in row] for row in zip(*columns, strict=True)]
    broken = data[:place] + b"tr\xe8s" + data[place + len("très".encode()) :]
    return broken, [list(column) for column in zip(*rows, strict=True)]


def _as_cp1252(text: str) -> str:
    return text.encode("cp1252", "replace").decode("cp1252")


def _whole(rng, rows, decimal):
    return [str(n) for n in rng.integers(-50, 5000, rows)]


def _decimal(rng, rows, decimal):
    return [f"{x:.2f}".replace(".", decimal) for x in rng.normal(30, 9, rows)]


def _code(rng, rows, decimal):
    return [f"{n:05d}" for n in rng.integers(0, 99_999, rows)]


def _hexadecimal(rng, rows, decimal):
    return [f"0x{n:02X}" for n in rng.integers(0, 255, rows)]


def _exponent(rng, rows, decimal):
    return [f"{a}E{b}" for a, b in rng.integers((10, 1), (99, 9), (rows, 2))]


def _long(rng, rows, decimal):
    return [f"98765432109876543{n:03d}" for n in rng.permutation(1000)[:rows]]


def _day(rng, rows, decimal):
    return [f"2025-{1 + n % 12:02d}-{1 + n % 28:02d}" for n in rng.integers(0, 300, rows)]


def _at(rng, rows, decimal):
    return [f"2025-03-{1 + n % 28:02d} {n % 24:02d}:{n % 60:02d}:00" for n in range(rows)]


def _words(rng, rows, decimal):
    texts = [" ".join(rng.choice(WORDS, rng.integers(2, 6))) for _ in range(rows)]
    for place in rng.integers(0, rows, 3):
        texts[place] += str(rng.choice([*ODD_BREAKS, "\n", ", low", "; low", ' "low"', "\t"]))
        texts[place] += "end"
    return texts


def _barred(rng, rows, decimal):
    return ["|".join(rng.choice(WORDS, 2)) for _ in range(rows)]


def _name(rng, rows, decimal):
    return [" ".join(rng.choice(["Ada", "Bo", "Ida", "Lin", "Wachholder"], 2)) for _ in range(rows)]


def _word(rng, rows, decimal):
    return [str(word) for word in rng.choice(WORDS[:8], rows)]


def _country(rng, rows, decimal):
    return [str(code) for code in rng.choice(["DE", "FR", "NA", "SE", "AT"], rows)]


KINDS = {
    "whole": _whole, "decimal": _decimal, "code": _code, "hexadecimal": _hexadecimal,
    "exponent": _exponent, "long": _long, "day": _day, "at": _at, "words": _words,
    "name": _name, "word": _word, "country": _country, "barred": _barred,
}  # fmt: skip
