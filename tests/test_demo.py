"""The demo's files are made from a seed, and the product finds what was planted in them."""

import json

import pandas as pd
import pytest

import nachsicht
from nachsicht.demo import scales
from nachsicht.demo.generator import make_all

#: Facts of planted.json that are told otherwise than as evidence of the finding.
_NO_EVIDENCE = {"code", "versions", "columns"}


@pytest.fixture(scope="module")
def planted(demo_files):
    return json.loads(demo_files["planted.json"].read_text())


@pytest.fixture(scope="module")
def seasons(demo_files):
    paths = [demo_files[f"hive_checks_{year}.csv"] for year in (2023, 2024, 2025)]
    return nachsicht.compare(*paths)


def test_the_generator_makes_the_same_files_again(demo_files):
    for name, data in make_all().items():
        assert demo_files[name].read_bytes() == data, name


def test_the_deliveries_are_as_large_as_they_should_be(demo_files):
    for year in (2023, 2024, 2025):
        frame = pd.read_csv(demo_files[f"hive_checks_{year}.csv"])
        assert 5_500 < len(frame) < 6_500
        assert 18 <= frame.shape[1] <= 20


def test_mites_lower_survival_and_brood_raises_weight(demo_files):
    frame = pd.read_csv(demo_files["hive_checks_2024.csv"])
    survived = frame["overwintered"].eq("yes")
    assert frame["mite_count"][survived].mean() < frame["mite_count"][~survived].mean() - 0.5
    assert frame["brood_frames"].corr(frame["hive_weight"]) > 0.5
    assert 0.3 < frame["honey_kg"].eq(0).mean() < 0.8


def _agrees(value, fact) -> bool:
    if isinstance(fact, list):
        return list(value) == fact
    return value == pytest.approx(fact) if isinstance(fact, float) else value == fact


def _found(findings, planted) -> list:
    facts = {name: fact for name, fact in planted.items() if name not in _NO_EVIDENCE}
    return [
        finding
        for finding in findings
        if finding.code == planted["code"]
        and list(finding.columns) == planted["columns"]
        and all(_agrees(finding.evidence[name], fact) for name, fact in facts.items())
    ]


def test_what_was_planted_within_a_version_is_found_once(seasons, planted):
    profiles = {profile.label: profile for profile in seasons.versions}
    for trouble in planted["within"]:
        for label, profile in profiles.items():
            wanted = 1 if label in trouble["versions"] else 0
            assert len(_found(profile.findings, trouble)) == wanted, (label, trouble)


def test_what_was_planted_between_versions_is_found_once_at_its_step(seasons, planted):
    for trouble in planted["between"]:
        found = _found(seasons.findings, trouble)
        assert [list(finding.versions) for finding in found] == [trouble["versions"]], trouble


def test_nothing_urgent_is_found_beside_what_was_planted(seasons, planted):
    expected = {(t["code"], tuple(t["columns"]), tuple(t["versions"])) for t in planted["between"]}
    urgent = {
        (finding.code, finding.columns, finding.versions)
        for finding in seasons.findings
        if finding.severity is not nachsicht.Severity.NOTE
    }
    assert urgent <= expected


def test_the_verdict_counts_the_newest_step(demo_comparison):
    verdict = demo_comparison.document.verdict
    weights = [finding.severity for finding in demo_comparison.findings]
    assert verdict.act == weights.count("act") == 4
    assert demo_comparison.verdict.startswith(
        "Four things need action before 2025 can replace 2024."
    )


def test_the_history_of_the_scales_reports_what_was_planted_and_nothing_else(demo_history):
    report = demo_history.courses()
    names = ("column", "statistic", "form", "first")
    found = [{name: getattr(event, name) for name in names} for event in report.found.happened]
    by_column = sorted(found, key=lambda event: event["column"])
    assert by_column == sorted(scales.planted(), key=lambda event: event["column"])
    battery = next(event for event in report.found.happened if event.column == "battery_mv")
    per_week = (battery.after - battery.before) / (battery.versions - 1)
    assert per_week == pytest.approx(-scales.DRAINED_MV, rel=0.05)
    assert report.headline == "2025-W34 is like the versions before it."
    assert len(report.to_markdown().splitlines()) <= 40
