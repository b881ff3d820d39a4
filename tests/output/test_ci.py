"""What pipelines are told: test reports, static analysis results, annotations, exit codes."""

import json
import re
import subprocess
import sys
from xml.etree import ElementTree as ET

import pandas as pd
import pytest

import nachsicht
from nachsicht.findings.registry import FINDINGS

LEVELS = {"act": "error", "check": "warning", "note": "note"}


@pytest.fixture(scope="module")
def changes(demo_files):
    return nachsicht.compare(*(demo_files[f"hive_checks_{year}.csv"] for year in (2024, 2025)))


def parsed(xml):
    return ET.fromstring(xml)  # noqa: S314 - our own


def test_a_test_report_has_a_test_for_each_column_and_rule(changes, tmp_path):
    root = parsed(changes.write(tmp_path / "report.xml").read_bytes())
    (suite,) = root
    cases = {(case.get("classname"), case.get("name")): case for case in suite}
    assert len(cases) == len(suite) == int(suite.get("tests"))
    findings = changes.document.current_findings
    for finding in findings:
        case = cases[finding.columns[0] if finding.columns else "rows", finding.code]
        failed = case.find("failure")
        if finding.severity != "note" and finding.accepted is None:
            assert finding.title in failed.get("message") + failed.text
    failures = suite.findall("testcase/failure")
    assert len(failures) == int(suite.get("failures")) == int(root.get("failures"))
    grave = {(f.columns[:1], f.code) for f in findings if f.severity != "note"}
    assert len(failures) == len(grave)
    names = {*changes.document.versions[-1].names}
    assert names <= {place for place, _ in cases}


def test_results_of_static_analysis_name_rule_level_and_column(changes, tmp_path):
    log = json.loads(changes.write(tmp_path / "findings.sarif").read_text())
    assert log["version"] == "2.1.0"
    (run,) = log["runs"]
    rules = run["tool"]["driver"]["rules"]
    assert {rule["id"] for rule in rules} <= {*FINDINGS}
    findings = changes.document.current_findings
    for result, finding in zip(run["results"], findings, strict=True):
        assert rules[result["ruleIndex"]]["id"] == result["ruleId"] == finding.code
        assert result["level"] == LEVELS[finding.severity]
        (place,) = result["locations"]
        assert place["physicalLocation"]["artifactLocation"]["uri"] == "hive_checks_2025.csv"
        named = [column["name"] for column in place.get("logicalLocations", ())]
        assert named == list(finding.columns)


def test_facets_of_lineage_are_those_of_the_standard(changes, tmp_path):
    standard = pytest.importorskip("openlineage.client.facet_v2")
    metrics = standard.data_quality_metrics_input_dataset
    quality = standard.data_quality_assertions_dataset
    facets = json.loads(changes.write(tmp_path / "new.openlineage.json").read_text())
    found, asserted = facets["dataQualityMetrics"], facets["dataQualityAssertions"]
    url = metrics.DataQualityMetricsInputDatasetFacet._get_schema()
    assert found["_schemaURL"].split("/")[-1] == url.split("/")[-1]
    newest = changes.document.versions[-1]
    own = metrics.DataQualityMetricsInputDatasetFacet(
        columnMetrics={n: metrics.ColumnMetrics(**m) for n, m in found["columnMetrics"].items()},
        rowCount=found["rowCount"],
        bytes=found["bytes"],
    )
    assert (own.rowCount, own.bytes) == (newest.rows, newest.origin.source_bytes)
    for column in newest.columns:
        assert own.columnMetrics[column.name].nullCount == column.missing
        assert own.columnMetrics[column.name].distinctCount == column.distinct
    weight = own.columnMetrics["hive_weight"]
    assert weight.quantiles["0.5"] == newest.column("hive_weight").stats.median
    assertions = [quality.Assertion(**each) for each in asserted["assertions"]]
    findings = changes.document.current_findings
    assert [a.assertion for a in assertions] == [f.code for f in findings]
    assert [a.success for a in assertions] == [f.severity == "note" for f in findings]


HOSTILE = "a]\n::error::x\r##vso[task.setvariable]%0A\x00\x1b[2J</failure>"


def test_names_and_values_break_out_of_nothing(tmp_path):
    """Control characters, commands and tags stay text in one line each."""
    old = pd.DataFrame({HOSTILE: [1, 1, None, None] * 30, "n": range(120)})
    made = nachsicht.compare(old, old.rename(columns={HOSTILE: "n2"}).assign(n=5))
    root = parsed(made.to_junit())
    assert root.find("testsuite") is not None
    json.loads(made.to_sarif())
    path = tmp_path / "old.parquet"
    old.to_parquet(path)
    for dialect, begin in (("github", "::"), ("azure", "##vso[")):
        command = [sys.executable, "-m", "nachsicht", "profile", str(path), "-q"]
        done = subprocess.run(
            [*command, "--annotate", dialect], capture_output=True, text=True, check=True
        )
        lines = done.stdout.splitlines()
        assert lines
        assert all(line.startswith(begin) for line in lines)
        assert not any(re.search(r"[\x00-\x1f\x7f]", line) for line in lines)


def test_annotations_tell_the_open_findings(changes, demo_files):
    files = [str(demo_files[f"hive_checks_{year}.csv"]) for year in (2024, 2025)]
    command = [sys.executable, "-m", "nachsicht", "compare", *files, "-q", "--annotate", "github"]
    done = subprocess.run(command, capture_output=True, text=True, check=True)
    levels = [line.split(" ")[0].strip(":") for line in done.stdout.splitlines()]
    named = {"error": "act", "warning": "check", "notice": "note"}
    expected = [str(f.severity) for f in changes.document.current_findings]
    assert [named[level] for level in levels] == expected


@pytest.mark.parametrize(("severity", "status"), [("act", 0), ("check", 1)])
def test_a_profile_can_stop_a_pipeline(tmp_path, severity, status):
    path = tmp_path / "checks.csv"
    pd.DataFrame({"n": [1, 1, None, None] * 50, "m": [7] * 200}).to_csv(path, index=False)
    open_ones = {str(f.severity) for f in nachsicht.profile(path).document.findings}
    assert "act" not in open_ones
    assert "check" in open_ones
    command = [sys.executable, "-m", "nachsicht", "profile", str(path), "-q", "--stop-on", severity]
    assert subprocess.run(command, capture_output=True, check=False).returncode == status
