"""What is easily read wrongly: codes, large numbers, bytes that are no text, words for missing."""

import datetime
import io
import zipfile

import numpy as np
import openpyxl
import pandas as pd
import pytest

import nachsicht


def read(tmp_path, data, name="checks.csv", **settings):
    path = tmp_path / name
    path.write_bytes(data if isinstance(data, bytes) else data.encode())
    return nachsicht.profile(path, **settings).document


WAYS = {"in memory": {}, "in pieces": {"memory_bytes": 2_000_000}}


@pytest.mark.parametrize("way", WAYS.values(), ids=WAYS)
@pytest.mark.parametrize(
    ("first", "second"),
    [
        ("12345678901234567890", "12345678901234567891"),
        ("0.12345678901234567890", "0.12345678901234567891"),
        ("00037", "37"),
        ("0x1F", "31"),
        ("12E3", "12000"),
    ],
)
def test_values_that_would_be_equal_numbers_stay_different(tmp_path, first, second, way):
    lines = "".join(f"{i % 7},{(first, second)[i % 2]}\n" for i in range(3_000))
    document = read(tmp_path, f"kg,code\n{lines}", **way)
    column = document.column("code")
    assert column.distinct == 2
    assert {level.value for level in column.top_values} == {first, second}
    assert any("code is kept as text" in note for note in map(str, document.origin.notes))
    assert document.column("kg").kind == "quantity"


@pytest.mark.parametrize("way", WAYS.values(), ids=WAYS)
def test_a_large_number_far_down_in_a_large_file_is_seen(tmp_path, way):
    lines = [f"{i},{i % 997}" for i in range(700_000)]
    lines[400_000] = "400000,12345678901234567890"
    lines[400_001] = "400001,12345678901234567891"
    document = read(tmp_path, "hive,weight\n" + "\n".join(lines), **way)
    column = document.column("weight")
    assert column.distinct == 999
    assert column.dtype == "string"  # whole numbers beyond 64 bits are told apart


@pytest.mark.parametrize("encoding", ["utf-32", "utf-16-le", "utf-16-be", "utf-32-be"])
def test_wide_encodings_are_found_out_with_or_without_a_mark(tmp_path, encoding):
    text = "hive,temper\n" + "".join(f"{i},très calm\n" for i in range(50))
    document = read(tmp_path, text.encode(encoding))
    assert document.names == ("hive", "temper")
    assert document.column("temper").first_value == "très calm"


PICTURES = {
    "png": b"\x89PNG\r\n\x1a\n" + bytes(range(256)) * 20,
    "jpeg": b"\xff\xd8\xff\xe0" + bytes(range(1, 256)) * 20,
    "gif": b"GIF89a" + bytes(range(1, 32)) * 200,
}


@pytest.mark.parametrize("data", PICTURES.values(), ids=PICTURES)
def test_a_picture_is_not_a_table(tmp_path, data):
    with pytest.raises(nachsicht.UnreadableSourceError, match="not a table"):
        read(tmp_path, data)


@pytest.mark.parametrize("way", WAYS.values(), ids=WAYS)
@pytest.mark.parametrize("rows", [200, 600_000], ids=["seen at first", "seen while reading"])
def test_one_byte_that_is_not_utf8_damages_one_value(tmp_path, rows, way):
    lines = [b"%d,tr\xc3\xa8s vif" % i for i in range(rows)]
    lines[-2] = b"7,tr\xe8s vif"
    document = read(tmp_path, b"hive,temper\n" + b"\n".join(lines), **way)
    counts = {level.value: level.count for level in document.column("temper").top_values}
    assert counts == {"très vif": rows - 1, "tr�s vif": 1}
    assert any("not utf-8" in note for note in map(str, document.origin.notes))


def test_names_alone_are_a_table_without_rows(tmp_path):
    for end in ("", "\n"):
        document = read(tmp_path, f"hive,temper,kg{end}")
        assert (document.names, document.rows) == (("hive", "temper", "kg"), 0)


@pytest.mark.slow
def test_a_field_longer_than_what_is_read_at_once(tmp_path):
    long = "calm " * 2_000_000
    document = read(tmp_path, f'hive,note\n1,low\n2,"{long}"\n3,low\n')
    assert document.rows == 3
    assert [level.count for level in document.column("note").top_values] == [2, 1]


@pytest.mark.parametrize(
    ("values", "missing"),
    [
        (["DE", "FR", "NA", "SE"], 0),
        (["12", "NA", "7", "31"], 1),
        (["low", "NA", "strong", "calm"], 1),
        (["None", "some", "all", "most"], 0),
    ],
)
def test_words_for_missing_are_levels_where_they_are_written_as_the_others(
    tmp_path, values, missing
):
    lines = "".join(f"{i},{values[i % 4]}\n" for i in range(400))
    document = read(tmp_path, f"hive,zone\n{lines}")
    assert document.column("zone").missing == missing * 100
    told = " ".join(map(str, document.origin.notes))
    assert ("“NA” is read as missing in zone" in told) == bool(missing)
    assert "sentinel_value" not in {finding.code for finding in document.findings}


def workbook(*sheets):
    book = openpyxl.Workbook()
    book.remove(book.active)
    for name, cells in sheets:
        sheet = book.create_sheet(name)
        for place, value in cells.items():
            sheet[place] = value
    file = io.BytesIO()
    book.save(file)
    return file.getvalue()


def test_a_workbook_with_an_empty_sheet_and_titles(tmp_path):
    cells = {"A1": "Hive checks", "A2": "of the union", "B4": "hive", "C4": "kg", "D4": "at"}
    for i in range(30):
        cells |= {f"B{5 + i}": f"H-{i}", f"C{5 + i}": 30 + i}
        cells[f"D{5 + i}"] = datetime.datetime(2025, 3, 1, i % 3 * 8, 0)
    document = read(tmp_path, workbook(("cover", {}), ("May", cells)), "checks.xlsx")
    assert document.names == ("hive", "kg", "at")
    assert document.rows == 30
    assert document.column("at").distinct == 3  # the time is kept where some are at midnight
    assert "sheet May, of 2" in map(str, document.origin.notes)
    assert any("lines before the table" in note for note in map(str, document.origin.notes))


BROKEN = {
    "far cell": workbook(("May", {"A1": "hive", "XFD1048576": 3})),
    "no workbook": b"PK\x03\x04" + bytes(400),
    "cut off": workbook(("May", {"A1": "hive", "A2": 3}))[:2000],
}


@pytest.mark.parametrize("data", BROKEN.values(), ids=BROKEN)
def test_a_broken_workbook_is_an_error_and_not_the_end(tmp_path, data):
    with pytest.raises(nachsicht.UnreadableSourceError, match="workbook"):
        read(tmp_path, data, "checks.xlsx")


def test_nothing_beside_a_workbook_is_run(tmp_path, monkeypatch):
    (tmp_path / "pyarrow.py").write_text("raise SystemExit('run')")
    monkeypatch.chdir(tmp_path)
    assert read(tmp_path, workbook(("May", {"A1": "hive", "A2": 3})), "checks.xlsx").rows == 1


def test_a_workbook_with_damaged_parts_is_an_error(tmp_path):
    whole = io.BytesIO(workbook(("May", {"A1": "hive", "A2": 3})))
    damaged = io.BytesIO()
    with zipfile.ZipFile(whole) as old, zipfile.ZipFile(damaged, "w") as new:
        for name in old.namelist():
            text = old.read(name)
            new.writestr(name, text[: len(text) // 2] if "sheet1" in name else text)
    with pytest.raises(nachsicht.NachsichtError):
        read(tmp_path, damaged.getvalue(), "checks.xlsx")


def test_periods_and_intervals_are_told_as_they_are_written():
    weights = pd.Series(np.arange(60.0))
    frame = pd.DataFrame(
        {
            "band": pd.cut(weights, 4),
            "wide": pd.Series(pd.interval_range(0, 60, 60)),
            "month": pd.period_range("2024-01", periods=60, freq="M"),
        }
    )
    document = nachsicht.profile(frame).document
    assert document.column("band").distinct == 4
    assert document.column("wide").first_value == "(0, 1]"
    assert document.column("month").first_value == "2024-01"
