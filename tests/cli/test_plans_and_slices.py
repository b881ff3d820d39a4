"""A plan before the work; a dataset's own slices, and the files of a folder, as versions."""

import json
import os
import shutil
import subprocess
import sys

import numpy as np
import pandas as pd
import pytest

import nachsicht

pytestmark = pytest.mark.slow


def run(*words, cwd=None):
    environment = {**os.environ, "PYTHONWARNINGS": "error"}
    command = [sys.executable, "-m", "nachsicht", *map(str, words)]
    return subprocess.run(
        command, capture_output=True, text=True, cwd=cwd, env=environment, check=False, timeout=120
    )


def test_a_plan_says_what_would_be_done_and_does_nothing(demo_files, tmp_path):
    checks = demo_files["hive_checks_2025.csv"]
    done = run("profile", checks, "--dry-run", "-o", tmp_path / "page.html")
    assert (done.returncode, done.stderr) == (0, "")
    assert "hive_checks_2025.csv (delimited text)" in done.stdout
    assert "all exact" in done.stdout
    assert list(tmp_path.iterdir()) == []
    streamed = run("profile", checks, "--dry-run", "--memory", "1MB").stdout
    assert "piece by piece" in streamed
    assert "estimates with their error" in streamed
    assert run("profile", tmp_path / "none.csv", "--dry-run").returncode == 2


@pytest.mark.parametrize("memory_bytes", [1 << 30, 1 << 20])
def test_a_plan_is_kept(demo_files, memory_bytes):
    checks = demo_files["hive_checks_2025.csv"]
    plan = nachsicht.plan(checks, memory_bytes=memory_bytes)
    heard = []
    made = nachsicht.profile(checks, memory_bytes=memory_bytes, progress=heard.append).document
    assert plan.exact == ({step.what for step in heard} == {"columns"})
    assert not plan.exact or not any(column.error_bounds for column in made.columns)


def test_rows_before_a_date_are_held_against_those_from_it_on(demo_files, tmp_path):
    checks = demo_files["hive_checks_2025.csv"]
    out = tmp_path / "slices.json"
    done = run("compare", checks, "--split-at", "checked_on=2025-06-01", "-o", out, "-q")
    assert (done.returncode, done.stderr) == (0, "")
    dates = pd.read_csv(checks, parse_dates=["checked_on"])["checked_on"]
    early = int((dates < "2025-06-01").sum())
    versions = json.loads(out.read_text())["versions"]
    assert [v["label"] for v in versions] == ["< 2025-06-01", "≥ 2025-06-01"]
    assert [v["rows"] for v in versions] == [early, len(dates) - early]


def test_numbers_are_cut_too_at_several_values(demo_files):
    checks = demo_files["hive_checks_2024.csv"]
    ages = pd.read_csv(checks)["queen_age_years"]
    made = nachsicht.compare_groups(checks, "queen_age_years", split_at=[1, 2])
    rows = [version.document.rows for version in made.versions]
    labels = [version.label for version in made.versions]
    assert labels == ["< 1", "1 … < 2", "≥ 2"]
    assert rows == [(ages < 1).sum(), ((ages >= 1) & (ages < 2)).sum(), (ages >= 2).sum()]


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (("--split-at", "checked_on=spring"), "spring is not a date"),
        (("--split-at", "hive_weight=heavy"), "heavy is not a number"),
        (("--split-at", "temper=calm"), "only datetimes and numbers"),
        (("--split-at", "chekced_on=2025-06-01"), "checked_on"),
        (("--split-at", "checked_on=1999-01-01"), "too few to compare"),
        (("--split-at", "checked_on"), "COLUMN=VALUE"),
        (("--split-at", "a=1", "--split-at", "b=1"), "of one column"),
    ],
)
def test_what_cannot_be_cut_is_said(words, told, demo_files):
    done = run("compare", demo_files["hive_checks_2025.csv"], *words)
    assert done.returncode == 2
    assert told in done.stderr


def test_each_file_of_a_folder_is_a_version(demo_files, tmp_path):
    for year in (2023, 2024, 2025):
        name = f"hive_checks_{year}.csv"
        shutil.copy(demo_files[name], tmp_path / name)
    done = run("compare", ".", "--each-file", cwd=tmp_path)
    assert done.stdout.splitlines()[1] == "Hive checks, 2023 → … → 2025"
    assert run("compare", "a", "b", "--each-file").returncode == 2
    assert "no file matches" in run("compare", tmp_path / "*.parquet", "--each-file").stderr


def test_dates_that_are_texts_make_months_and_can_be_cut(tmp_path):
    days = np.arange("2025-01-01", "2025-07-01", dtype="datetime64[D]")
    written = [f"{day.day:02d}.{day.month:02d}.{day.year}" for day in days.tolist()] * 10
    frame = pd.DataFrame({"checked": written, "kg": np.arange(len(written)) % 40})
    frame.to_csv(tmp_path / "checks.csv", index=False)
    months = nachsicht.compare_groups(tmp_path / "checks.csv", "checked").document
    assert [v.label for v in months.versions] == [f"2025-0{m}" for m in range(1, 7)]
    halves = nachsicht.compare_groups(tmp_path / "checks.csv", "checked", split_at=["2025-04-01"])
    assert [v.rows for v in halves.document.versions] == [900, 910]


def test_rows_whose_key_repeats_are_told_in_the_terminal_and_a_wrong_kind_lists_them(tmp_path):
    frame = pd.DataFrame({"hive": [*range(100), 5], "kg": range(101)})
    told = str(nachsicht.compare(frame, frame.assign(kg=frame["kg"] + 1), key="hive"))
    assert "2 rows of" in " ".join(told.split())
    assert "their key is not unique" in " ".join(told.split())
    with pytest.raises(nachsicht.SettingsError, match="Kinds are: quantity"):
        nachsicht.profile(frame, kinds={"kg": "number"})
