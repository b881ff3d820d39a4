"""Findings as a test report in the XML of JUnit, which CI servers show."""

from __future__ import annotations

from collections.abc import Sequence
from xml.etree import ElementTree as ET

from nachsicht.i18n import catalogue, no_group_below, phrase, printable
from nachsicht.model.comparison import ComparisonDocument
from nachsicht.model.findings import Finding, Severity
from nachsicht.model.profile import Origin
from nachsicht.output.ci.told import told_of


def junit_xml(document: ComparisonDocument) -> bytes:
    """The findings of the newest version as tests, in UTF-8.

    A test stands for a column and a rule (the code of a finding). One that found something to act
    on, or to check, failed; a note passed and says what it found; what was accepted was skipped. A
    column of which nothing was found passed one test.
    """
    with no_group_below(document.smallest_group):
        return _written(document)


def _written(document: ComparisonDocument) -> bytes:
    by_place: dict[str, list[Finding]] = {_rows_name(): []}
    newest = document.versions[-1]
    by_place |= {name: [] for name in newest.names}
    for finding in document.current_findings:
        by_place.setdefault(_place(finding), []).append(finding)
    suite = ET.Element("testsuite", name=_text(document.title), timestamp=_moment(newest.origin))
    for place, findings in by_place.items():
        _add_tests(suite, place, findings)
    for count, kind in (("failures", "failure"), ("skipped", "skipped")):
        suite.set(count, str(len(suite.findall(f"testcase/{kind}"))))
    suite.set("tests", str(len(suite)))
    suite.set("errors", "0")
    suites = ET.Element("testsuites", {n: suite.get(n, "") for n in _COUNTS})
    suites.append(suite)
    ET.indent(suites)
    found: bytes = ET.tostring(suites, encoding="utf-8", xml_declaration=True)
    return found + b"\n"


_COUNTS = ("name", "tests", "failures", "errors", "skipped")


def _moment(origin: Origin) -> str:
    """When a version was profiled, without an offset, as the format has it."""
    return origin.created_at.partition("+")[0].removesuffix("Z")


def _rows_name() -> str:
    return str(catalogue()["page"]["rows"])


def _place(finding: Finding) -> str:
    return finding.columns[0] if finding.columns else _rows_name()


def _add_tests(suite: ET.Element, place: str, findings: Sequence[Finding]) -> None:
    by_code: dict[str, list[Finding]] = {}
    for finding in findings:
        by_code.setdefault(finding.code, []).append(finding)
    if not by_code:
        ET.SubElement(suite, "testcase", classname=_text(place), name=phrase("ci.nothing"))
    for code, same in by_code.items():
        case = ET.SubElement(suite, "testcase", classname=_text(place), name=code)
        still_open = [f for f in same if f.accepted is None]
        failed = [f for f in still_open if f.severity is not Severity.NOTE]
        told = "\n".join(map(told_of, same))
        if failed:
            severity = catalogue()["severities"][failed[0].severity]
            message = f"{severity}: {_text(failed[0].title)}"
            ET.SubElement(case, "failure", type=code, message=message).text = told
        elif not still_open:
            ET.SubElement(case, "skipped", message=_text(same[0].accepted or ""))
        else:
            ET.SubElement(case, "system-out").text = told


def _text(text: str) -> str:
    return printable(text)
