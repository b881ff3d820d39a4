"""Versions that are read differently: two tables, two sheets, two encodings."""

import subprocess
import sys

import openpyxl
import pandas as pd
import pytest
import sqlalchemy as sql

import nachsicht


def table(rows):
    return pd.DataFrame({"hive": [f"h{i}" for i in range(rows)], "mites": range(rows)})


@pytest.fixture
def workbook(tmp_path):
    book = openpyxl.Workbook()
    for i, year in enumerate(("2024", "2025")):
        sheet = book.create_sheet(year)
        sheet.append(["hive", "mites"])
        for row in table(30 + 10 * i).itertuples(index=False):
            sheet.append(list(row))
    book.save(tmp_path / "checks.xlsx")
    return tmp_path / "checks.xlsx"


@pytest.fixture
def database(tmp_path):
    address = f"sqlite:///{tmp_path}/union.db"
    engine = sql.create_engine(address)
    for i, year in enumerate((2024, 2025)):
        table(30 + 10 * i).to_sql(f"checks_{year}", engine, index=False)
    engine.dispose()
    return address


def rows(comparison):
    return [(version.label, version.rows) for version in comparison.document.versions]


@pytest.mark.parametrize("engine", ["local", "sql"])
def test_two_tables_of_a_database(database, engine):
    reading = [{"table": "checks_2024"}, {"table": "checks_2025"}]
    found = nachsicht.compare(database, database, reading_by_version=reading, engine=engine)
    assert rows(found) == [("2024", 30), ("2025", 40)]
    assert "checks_2025" in found.document.versions[1].origin.settings


def test_two_sheets_of_a_workbook(workbook):
    found = nachsicht.compare(
        workbook, workbook, reading_by_version=[{"sheet": "2024"}, {"sheet": "2025"}]
    )
    assert rows(found) == [("2024", 30), ("2025", 40)]


def test_two_encodings_and_what_holds_for_both(tmp_path):
    for name, encoding in (("old", "cp1250"), ("new", "utf-8")):
        text = "hive;place\n" + "".join(f"{i};Łódź\n" for i in range(30))
        (tmp_path / f"{name}.csv").write_bytes(text.encode(encoding))
    found = nachsicht.compare(
        tmp_path / "old.csv",
        tmp_path / "new.csv",
        reading={"delimiter": ";"},
        reading_by_version=[{"encoding": "cp1250"}, {}],
    )
    places = [version.column("place").top_values[0].value for version in found.document.versions]
    assert places == ["Łódź", "Łódź"]


def test_entries_are_as_many_as_versions(workbook):
    with pytest.raises(nachsicht.SettingsError, match="1 entries for 2 versions"):
        nachsicht.compare(workbook, workbook, reading_by_version=[{"sheet": "2024"}])


def command(*arguments):
    run = [sys.executable, "-m", "nachsicht", "compare", *map(str, arguments), "--quiet"]
    return subprocess.run(run, capture_output=True, text=True, check=False)


def test_options_once_for_each_version(database, workbook, tmp_path):
    out = tmp_path / "found.json"
    done = command(database, "--table", "checks_2024", "--table", "checks_2025", "-o", out)
    assert (done.returncode, done.stderr) == (0, "")
    assert [version.rows for version in nachsicht.read(out).document.versions] == [30, 40]
    done = command(workbook, "--sheet", "2024", "--sheet", "2025", "-o", out)
    assert (done.returncode, done.stderr) == (0, "")
    three = command(workbook, workbook, *["--sheet", "2024"] * 3)
    assert three.returncode == 2
    assert "3 entries for 2 versions" in three.stderr
    uneven = command(workbook, *["--sheet", "2024"] * 3, *["--encoding", "utf-8"] * 2)
    assert uneven.returncode == 2
