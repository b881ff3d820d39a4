"""No file is read wrongly without a word: thousands of files of known truth."""

import re

import pytest

from nachsicht.config.settings import ReadOptions
from nachsicht.errors import NachsichtError
from nachsicht.sources import source_of

from .delimited_files import make

pytestmark = pytest.mark.slow

#: Texts that are no numbers, though they could be read as such.
_CODES = re.compile(r"^(0\d|0x|\d\dE|\d{19})")


def same(truth: str, found: object, decimal: str) -> bool:
    text = "" if found is None else str(found)
    if truth == text:
        return True
    if _CODES.match(truth):
        return False
    try:
        return float(truth.replace(decimal, ".")) == float(text)
    except ValueError:
        return truth.replace(" ", "T")[:19] == text.replace(" ", "T")[:19] != ""


def wrong(made, folder) -> str | None:
    """What was read wrongly, and not said."""
    path = folder / "checks.csv"
    path.write_bytes(made.data)
    try:
        opened = source_of(path, ReadOptions()).open()
        table = opened.table()
    except NachsichtError:
        return None
    if table.schema.names != made.names:
        return f"names {table.schema.names}"
    if table.num_rows != len(made.columns[0]):
        return f"{table.num_rows} rows"
    for name, column, truth in zip(made.names, table.columns, made.columns, strict=True):
        pairs = zip(truth, column.to_pylist(), strict=True)
        other = [pair for pair in pairs if not same(*pair, made.told["decimal"])]
        said = any(
            f"“{truth}”" in note for truth, _ in other for note in map(str, opened.facts.notes)
        )
        if other and not said:
            return f"{name}: {other[:3]}"
    return None


def check(seeds, folder):
    failed = {seed: why for seed in seeds if (why := wrong(make(seed), folder))}
    assert not failed


def test_files_of_known_truth_are_read_as_they_were_meant(tmp_path):
    check(range(40_000, 40_250), tmp_path)


def test_thousands_of_files_of_known_truth(tmp_path):
    check(range(50_000, 55_000), tmp_path)
