"""Columns and rows that are asked for, against the same choice made in pandas."""

import subprocess
import sys

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest

import nachsicht
from nachsicht.errors import SettingsError

RNG = np.random.default_rng(6)
FRAME = pd.DataFrame(
    {
        "check_id": [f"C-{i:05d}" for i in range(4_000)],
        "hive_type": RNG.choice(["long", "log", "stacked"], 4_000),
        "hive_weight": np.where(RNG.random(4_000) < 0.1, np.nan, RNG.normal(30, 4, 4_000)),
        "mites": RNG.poisson(3, 4_000),
        "day": pd.date_range("2024-03-01", periods=4_000, freq="h"),
        "note": RNG.choice(["calm", None, "a = b", "it's"], 4_000),
    }
)
CASES = {
    "hive_type = long": FRAME.hive_type == "long",
    "hive_type != 'long'": FRAME.hive_type != "long",
    "hive_weight<29.5": FRAME.hive_weight < 29.5,
    "mites >= 4": FRAME.mites >= 4,
    "day > 2024-05-01": FRAME.day > "2024-05-01",
    "note is missing": FRAME.note.isna(),
    "note is not missing": FRAME.note.notna(),
    "note = 'a = b'": FRAME.note == "a = b",
    'note = "it\'s"': FRAME.note == "it's",
    "hive_weight is missing": FRAME.hive_weight.isna(),
}


@pytest.fixture(scope="module")
def files(tmp_path_factory):
    folder = tmp_path_factory.mktemp("selection")
    FRAME.to_csv(folder / "checks.csv", index=False)
    FRAME.to_parquet(folder / "checks.parquet", row_group_size=500)
    return folder


@pytest.mark.parametrize("condition", CASES)
def test_rows_are_those_that_fulfil_the_condition(files, condition):
    expected = FRAME[CASES[condition]]
    for data, options in (
        (FRAME, {}),
        (files / "checks.csv", {}),
        (files / "checks.parquet", {"memory_bytes": 100_000}),
    ):
        document = nachsicht.profile(data, where=condition, **options).document
        assert document.rows == len(expected)
        assert document.column("mites").stats.mean == pytest.approx(expected.mites.mean())


def test_what_is_no_number_differs_from_no_value():
    table = pa.table({"weight": [1.0, float("nan"), None, 2.0]})
    assert nachsicht.profile(table, where="weight != 1").document.rows == 1


def test_all_conditions_hold_and_columns_are_kept_by_name_or_pattern(files):
    conditions = ["hive_type = long", "mites < 2"]
    document = nachsicht.profile(
        files / "checks.csv", only=["hive_*", "day"], where=conditions
    ).document
    assert document.names == ("hive_type", "hive_weight", "day")
    assert document.rows == ((FRAME.hive_type == "long") & (FRAME.mites < 2)).sum()
    assert "selection" in {note.code for note in document.origin.notes}
    assert "mites < 2" in document.origin.settings
    hidden = nachsicht.profile(files / "checks.csv", mask="hive_type", where=conditions).document
    assert "long" not in hidden.origin.settings


@pytest.mark.parametrize(
    ("options", "told"),
    [
        ({"where": "mites"}, "no condition"),
        ({"where": "mite = 3"}, "no column mite"),
        ({"only": "hives_*"}, "no column"),
        ({"where": "mites = many"}, "cannot be compared with many"),
        ({"where": "check_id > 9"}, "order is not that of numbers"),
    ],
)
def test_what_cannot_be_chosen_is_said(options, told):
    with pytest.raises(SettingsError, match=told):
        _ = nachsicht.profile(FRAME, **options).document


def test_the_command_chooses_in_both_versions(files):
    command = [sys.executable, "-m", "nachsicht", "compare", "checks.csv", "checks.parquet"]
    done = subprocess.run(
        [*command, "--where", "hive_type = log", "--only", "mites", "--only", "hive_type"],
        cwd=files, capture_output=True, text=True, check=True,
    )  # fmt: skip
    rows = f"{(FRAME.hive_type == 'log').sum():,} rows · 2 columns"
    assert done.stdout.count(rows) == 2
