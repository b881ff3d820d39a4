"""Calls that editors complete and type checkers hold: settings by keyword, codes of findings."""

import subprocess
import sys
from typing import get_args

import msgspec
import pytest

from nachsicht.comparison.causes.affine import FACTORS, OFFSETS
from nachsicht.config import options
from nachsicht.config.settings import ReadOptions, Settings, ThemeChoice, Thresholds
from nachsicht.findings.registry import FINDINGS
from nachsicht.i18n import catalogue
from nachsicht.model.findings import FindingCode
from nachsicht.model.kinds import Kind

READING = {field.name for field in msgspec.structs.fields(ReadOptions)}
#: Keywords, the settings that they are, and names that are only the one, or only the other.
KEYWORDS = [
    (options.Options, Settings, READING, {"labels"}),  # a parameter of its own
    (options.ReadKeywords, ReadOptions, set(), set()),
    (options.ThemeKeywords, ThemeChoice, set(), set()),
    (options.ThresholdKeywords, Thresholds, set(), set()),
]


@pytest.mark.parametrize(("keywords", "struct", "besides", "apart"), KEYWORDS)
def test_every_setting_can_be_given_by_keyword(keywords, struct, besides, apart):
    fields = {field.name for field in msgspec.structs.fields(struct)}
    assert not fields & besides
    assert keywords.__annotations__.keys() == (fields | besides) - apart


def test_kinds_and_codes_are_those_that_there_are():
    assert set(get_args(options.KindName)) == set(Kind)
    assert set(get_args(FindingCode)) == set(FINDINGS)


CALLS = """
import nachsicht

nachsicht.profile("a.csv", outcome="honey", omit="note", delimiter=";")
nachsicht.compare("a.csv", "b.csv", findings={"skewed": {"off": True}}, kinds={"tag": "text"})
nachsicht.profile("a.csv", outcom="honey")
nachsicht.compare("a.csv", "b.csv", alpha="0.1")
nachsicht.compare("a.csv", "b.csv", kinds={"tag": "string"})
nachsicht.assert_steady("a.csv", "b.csv", findings={"missing_values": {"of": True}})
"""


@pytest.mark.slow
def test_a_misspelt_setting_fails_in_a_type_checker(tmp_path):
    calls = tmp_path / "calls.py"
    calls.write_text(CALLS)
    command = [sys.executable, "-m", "mypy", "--strict", "--cache-dir", str(tmp_path), str(calls)]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    lines = [line for line in done.stdout.splitlines() if "error" in line and "calls.py" in line]
    assert [int(line.split(":")[1]) for line in lines] == [6, 7, 8, 9], done.stdout


def test_every_factor_that_is_known_has_its_words():
    told = catalogue()["conversions"]
    assert {*FACTORS, *(name for *_, name in OFFSETS)} == told.keys()
