"""Catalogues: every language says everything, with the same facts."""

import ast
import re
from pathlib import Path
from typing import get_args

import pytest

import nachsicht
from nachsicht import errors
from nachsicht.findings.registry import FINDINGS
from nachsicht.i18n import (
    catalogue,
    fields_of,
    languages,
    number,
    percent,
    phrase,
    render,
    use_language,
    whole,
)
from nachsicht.model.findings import Finding, Severity
from nachsicht.model.kinds import CalendarUnit, ExclusionReason
from nachsicht.output.html.payload.evidence import INTERNAL

SOURCE = Path(nachsicht.__file__).parent
OTHERS = [language for language in languages() if language != "en"]
#: Facts that every finding has by itself.
GIVEN = {"old", "new", "column", "other_column"}
FAMILY = {name for name, one in vars(errors).items() if isinstance(one, type)}


def entries(table, path=""):
    """All texts of a catalogue by their paths; forms for one and several belong together."""
    for name, entry in table.items():
        place = f"{path}.{name}".lstrip(".")
        if isinstance(entry, dict) and "other" not in entry:
            yield from entries(entry, place)
        else:
            yield place, entry


def texts_of(entry):
    if isinstance(entry, dict):
        return [text for name, text in entry.items() if name != "by"]
    return entry if isinstance(entry, list) else [entry]


def names_in(entry):
    """Facts and clauses that a text asks for, those behind its formats too."""
    found = set()
    for text in texts_of(entry):
        for name, spec in fields_of(text) if "{" in text else ():
            found |= {name, *re.findall(r"\((\w+)\)", spec)}
    return found


@pytest.mark.parametrize("language", OTHERS)
def test_no_sentence_and_no_fact_is_missing_in_a_language(language):
    ours, theirs = (dict(entries(catalogue(one))) for one in ("en", language))
    assert ours.keys() == theirs.keys()
    for path, entry in ours.items():
        assert names_in(entry) == names_in(theirs[path]), path
        if isinstance(entry, dict):
            assert entry.get("by") == theirs[path].get("by"), path
    told = [theirs[path] for path in ours if path.startswith(("findings.", "errors.", "help."))]
    same = [text for text in told if text in ours.values()]
    assert len(same) < 0.05 * len(told)  # a few are the same in both languages


@pytest.mark.parametrize("language", languages())
def test_findings_ask_for_facts_that_they_have(language):
    for code, messages in catalogue(language)["findings"].items():
        facts = {*FINDINGS[code].evidence.split(), *GIVEN, *INTERNAL}
        clauses = messages.get("clauses", {})
        for name, entry in {**messages, **clauses}.items():
            asked = names_in(entry) if name != "clauses" else set()
            for one in asked:
                known = one[1:] in clauses if one.startswith("?") else one in facts
                assert known, (code, name, one)


def test_every_error_that_is_raised_has_its_text_and_its_facts():
    said = catalogue()["errors"]
    seen = set()
    for path in SOURCE.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            if not (isinstance(node, ast.Call) and isinstance(node.func, ast.Name)):
                continue
            if node.func.id not in FAMILY or not node.args:
                continue
            code = node.args[0]
            if not isinstance(code, ast.Constant):
                continue
            seen.add(code.value)
            asked = names_in(said[code.value]["what"]) | names_in(said[code.value].get("todo", ""))
            given = {keyword.arg for keyword in node.keywords}
            assert asked <= given, (path.name, code.value)
    assert len(seen) > 100


def test_numbers_stand_in_the_signs_of_the_language():
    told = [(whole(1_234_567), number(1234.5, 6), percent(0.0123), percent(0.0001))]
    with use_language("de"):
        told.append((whole(1_234_567), number(1234.5, 6), percent(0.0123), percent(0.0001)))
    assert told == [
        ("1,234,567", "1,234.5", "1.2 %", "under 0.1 %"),
        ("1.234.567", "1.234,5", "1,2 %", "unter 0,1 %"),
    ]


def test_plural_forms_are_chosen_by_the_fact_that_is_named():
    rows = catalogue()["findings"]["duplicate_rows"]["title"]
    assert render(rows, {"rows": 1}) == "One row is repeated"
    assert render(rows, {"rows": 1200}) == "1,200 rows are repeated"
    columns = catalogue()["findings"]["undocumented_columns"]["title"]
    assert render(columns, {"columns": ("a",)}) == "One column is not described"
    with use_language("de"):
        assert (
            render(catalogue()["verdict"]["steady"], {"n": 3}) == "Drei Spalten sind unverändert."
        )


def test_clauses_stand_only_where_their_facts_are_known():
    finding = Finding(
        code="missing_increased",
        severity=Severity.ACT,
        columns=("honey",),
        versions=("2024", "2025"),
        size=0.2,
        evidence={"missing": 40, "rows": 200, "share": 0.2, "old_share": 0.0},
    )
    assert finding.sentence == "40 of 200 rows have no value."
    placed = finding.evidence | {"by": "hive", "level": None, "share_of_new_missing": 0.9}
    told = Finding(**{name: getattr(finding, name) for name in FIELDS} | {"evidence": placed})
    assert told.sentence.endswith("90 % of the new missing values fall in hive = missing.")
    with use_language("de"):
        assert told.title == "Fehlende Werte gestiegen 0 % → 20 %"


FIELDS = ("code", "severity", "columns", "versions", "size")


def test_errors_speak_the_language_in_which_they_are_read():
    with pytest.raises(nachsicht.SettingsError) as failed:
        nachsicht.profile([{"a": 1}], outcome="b", language="fr")
    assert str(failed.value) == "unknown language fr: language. Known are: de, en."
    with use_language("de"):
        assert str(failed.value).startswith("unbekannte Sprache fr")
    assert phrase("labels.nth", n=3) == "version 3"


@pytest.mark.parametrize(
    ("table", "code"), [("units", CalendarUnit), ("excluded", ExclusionReason)], ids=["unit", "why"]
)
def test_codes_that_documents_may_hold_are_those_with_words(table, code):
    (meta,) = get_args(code)[1:]
    assert set(re.findall(r"\w+", meta.pattern)) == set(catalogue("en")[table])
