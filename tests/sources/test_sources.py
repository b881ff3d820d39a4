"""Files and frames become the same profile; what is no table is one clear error."""

import bz2
import gzip
import lzma
import os
from pathlib import Path

import numpy as np
import pandas as pd
import polars as pl
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from pyarrow import csv, feather

import nachsicht
from nachsicht.config.settings import ReadOptions
from nachsicht.errors import UnreadableSourceError
from nachsicht.sources import source_of


@pytest.fixture(scope="module")
def path(demo_files) -> Path:
    return demo_files["hive_checks_2024.csv"]


def facts(profile: nachsicht.Profile) -> list[tuple]:
    """What every way of reading must agree on."""
    return [
        (c.name, c.kind, c.rows, c.missing, c.distinct, getattr(c.stats, "mean", None))
        for c in profile.document.columns
    ]


def test_every_way_in_gives_the_same_profile(path, tmp_path):
    table = csv.read_csv(path, convert_options=csv.ConvertOptions(strings_can_be_null=True))
    pq.write_table(table, tmp_path / "checks.parquet")
    expected = facts(nachsicht.profile(path))
    frame = table.to_pandas(date_as_object=False)
    for data in (
        tmp_path / "checks.parquet",
        str(tmp_path / "checks.parquet"),
        table,
        pl.from_arrow(table),
        frame.astype({"queen_age_years": "Int64", "brood_frames": "Int64", "mite_count": "Int64"}),
    ):
        assert facts(nachsicht.profile(data)) == expected, type(data)


@pytest.mark.parametrize(
    ("delimiter", "encoding", "note"),
    [(";", "utf-8", "delimiter semicolon"), ("\t", "utf-8-sig", "delimiter tab"),
     ("|", "utf-16", "encoding utf-16"), (",", "cp1252", "encoding cp1252")],
)  # fmt: skip
def test_delimiter_and_encoding_are_found_out(tmp_path, delimiter, encoding, note):
    lines = [f"{i}{delimiter}Mül{i % 7}{delimiter}{i / 4}" for i in range(50)]
    text = "\n".join([delimiter.join(("number", "place", "weight")), *lines])
    (tmp_path / "checks.csv").write_bytes(text.encode(encoding))
    profile = nachsicht.profile(tmp_path / "checks.csv").document
    assert [column.name for column in profile.columns] == ["number", "place", "weight"]
    assert profile.columns[1].first_value == "Mül0"
    assert profile.columns[2].stats.maximum == 12.25
    assert note in map(str, profile.origin.notes)


@pytest.mark.parametrize("suffix", ["gz", "bz2", "xz", "zst"])
def test_compressed_files_are_read(path, tmp_path, suffix):
    packed = tmp_path / f"checks.csv.{suffix}"
    data = path.read_bytes()
    if suffix == "zst":
        packed.write_bytes(pa.compress(data, "zstd", asbytes=True))
    else:
        module = {"gz": gzip, "bz2": bz2, "xz": lzma}[suffix]
        packed.write_bytes(module.compress(data))
    profile = nachsicht.profile(packed)
    assert facts(profile) == facts(nachsicht.profile(path))
    assert profile.label == "checks"


def test_feather_json_and_workbooks_give_the_same_numbers(path, tmp_path):
    options = csv.ConvertOptions(strings_can_be_null=True)
    table = csv.read_csv(path, convert_options=options).slice(0, 300)
    wanted = ["hive_id", "apiary", "mite_count", "hive_weight", "temper"]
    table = table.select(wanted)
    frame = table.to_pandas()
    feather.write_feather(table, tmp_path / "checks.feather")
    frame.to_json(tmp_path / "checks.jsonl", orient="records", lines=True)
    frame.to_json(tmp_path / "checks.json", orient="records")
    frame.to_excel(tmp_path / "checks.xlsx", index=False, sheet_name="May")
    expected = facts(nachsicht.profile(table))
    for suffix in ("feather", "jsonl", "json", "xlsx"):
        profile = nachsicht.profile(tmp_path / f"checks.{suffix}")
        assert facts(profile) == expected, suffix
    assert "sheet May, of 1" in map(str, profile.document.origin.notes)
    with pytest.raises(nachsicht.SourceError, match="There are: May"):
        nachsicht.profile(tmp_path / "checks.xlsx", reading={"sheet": "June"})


@pytest.mark.parametrize("source", ["parts", "parts/part_*.csv"])
def test_part_files_are_one_dataset(path, tmp_path, source):
    lines = path.read_text().splitlines(keepends=True)
    (tmp_path / "parts").mkdir()
    for i in range(3):
        part = [lines[0], *lines[1 + 2004 * i : 1 + 2004 * (i + 1)]]
        (tmp_path / "parts" / f"part_{i}.csv").write_text("".join(part))
    assert facts(nachsicht.profile(tmp_path / source)) == facts(nachsicht.profile(path))
    (tmp_path / "parts" / "part_3.csv").write_text("other,names\n1,2\n")
    with pytest.raises(nachsicht.UnreadableSourceError, match=r"other columns.*part_3"):
        nachsicht.profile(tmp_path / source)


def test_a_decimal_comma_and_missing_names_are_found_out(tmp_path):
    lines = [f"{i};{i},5;Amselgrund" for i in range(40)]
    (tmp_path / "x.csv").write_text("\n".join(lines))
    document = nachsicht.profile(tmp_path / "x.csv").document
    assert [c.name for c in document.columns] == ["column_1", "column_2", "column_3"]
    assert document.columns[1].stats.maximum == 39.5
    assert {"decimal comma", "no header line"} <= set(map(str, document.origin.notes))
    given = nachsicht.profile(tmp_path / "x.csv", reading={"header": True, "decimal": "."}).document
    assert [c.name for c in given.columns] == ["0", "0,5", "Amselgrund"]
    assert given.rows == 39


def test_lines_before_the_table_are_skipped_and_told(tmp_path):
    lines = ["Hive checks in May", "", "hive,mites"] + [f"H-{i},{i % 5}" for i in range(60)]
    (tmp_path / "x.csv").write_text("\n".join(["export of the union", *lines]))
    document = nachsicht.profile(tmp_path / "x.csv").document
    assert [c.name for c in document.columns] == ["hive", "mites"]
    assert document.rows == 60
    assert any(
        note.startswith("lines before the table") for note in map(str, document.origin.notes)
    )


def test_spaces_divide_lines_where_nothing_else_does(tmp_path):
    (tmp_path / "x.txt").write_text("hive mites\n" + "\n".join(f"{i} {i % 5}" for i in range(60)))
    document = nachsicht.profile(tmp_path / "x.txt").document
    assert [(c.name, c.kind) for c in document.columns] == [
        ("hive", "identifier"), ("mites", "quantity"),
    ]  # fmt: skip


def test_years_as_names_are_names(tmp_path):
    (tmp_path / "x.csv").write_text("place,2023,2024,2025\nKleehof,1,2,3\nMoorblick,4,5,6\n")
    names = [c.name for c in nachsicht.profile(tmp_path / "x.csv").document.columns]
    assert names == ["place", "2023", "2024", "2025"]


@pytest.mark.parametrize("given", [{}, {"memory_bytes": 1000}])
def test_lines_that_cannot_be_read_are_counted_and_shown(given, tmp_path):
    lines = [f"{i},{i}" for i in range(100)]
    lines[41] = "41,4,1"
    (tmp_path / "x.csv").write_text("\n".join(["a,b", *lines]))
    profile = nachsicht.profile(tmp_path / "x.csv", **given)
    assert (profile.document.rows, profile.document.origin.malformed_lines) == (99, 1)
    assert any("line 43" in note for note in map(str, profile.document.origin.notes))
    assert "malformed_lines" in [finding.code for finding in profile.findings]


@pytest.mark.parametrize("given", [{}, {"memory_bytes": 1000}])
@pytest.mark.parametrize("encoding", ["utf-8", "utf-16"])
@pytest.mark.parametrize("end", ["\n", "\r\n"])
def test_short_lines_are_read_with_their_last_fields_missing(given, encoding, end, tmp_path):
    lines = [f"{i},yard {i % 7},{i}" for i in range(200)]
    short = {41: "41,ö", 42: "42,ö", 199: "199"}
    for at, line in short.items():
        lines[at] = line
    lines[60] = "60,one,two,three"
    text = end.join(["a,b,c", *lines]).encode(encoding)
    (tmp_path / "x.csv").write_bytes(text)
    profile = nachsicht.profile(tmp_path / "x.csv", **given)
    origin = profile.document.origin
    assert (profile.document.rows, origin.malformed_lines, origin.padded_lines) == (199, 1, 3)
    missing = {c.name: c.missing for c in profile.document.columns}
    assert missing == {"a": 0, "b": 1, "c": 3}
    (finding,) = [f for f in profile.findings if f.code == "malformed_lines"]
    assert "3 lines with fewer fields were read" in finding.sentence


def test_what_only_looks_like_a_short_line_is_left_as_it_is(tmp_path):
    lines = [f"{i},plain" for i in range(100)]
    (tmp_path / "x.csv").write_text("\n".join(["a,note", *lines, '100,"one\nshort\ntwo"', "short"]))
    document = nachsicht.profile(tmp_path / "x.csv").document
    assert (document.rows, document.origin.malformed_lines) == (101, 1)
    assert document.column("note").last_value == "one\nshort\ntwo"


def test_a_column_that_turns_into_words_late_is_read_as_text(tmp_path):
    lines = [f"{i},{i}" for i in range(900_000)] + ["900000,many"]
    (tmp_path / "late.csv").write_text("\n".join(["a,b", *lines]))
    columns = nachsicht.profile(tmp_path / "late.csv").document.columns
    assert (columns[0].dtype, columns[1].dtype) == ("int64", "string")
    assert columns[1].last_value == "many"


def test_line_breaks_and_quotes_inside_a_cell_are_read(tmp_path):
    (tmp_path / "notes.csv").write_text('a,note\n1,"two\nlines, ""quoted"""\n2,plain\n')
    column = nachsicht.profile(tmp_path / "notes.csv").document.column("note")
    assert column.first_value == 'two\nlines, "quoted"'


def test_strange_but_legal_frames_are_profiled():
    frame = pd.DataFrame(
        [[1, "a", 2.5, {"x": 1}], [1, 3, None, {"x": 2}]], columns=["a", "a", 7, ("b", "c")]
    )
    frame.index = pd.Index(["r1", "r2"], name="row")
    document = nachsicht.profile(frame).document
    assert [c.name for c in document.columns] == ["row", "a", "a", "7", "b / c"]
    assert document.columns[2].distinct == 2
    assert any("mixed objects" in note for note in map(str, document.origin.notes))


@pytest.mark.parametrize("rows", [0, 1])
def test_tables_of_no_or_one_row_are_profiled(rows):
    table = pa.table({"a": pa.array([1.5][:rows]), "b": pa.array(["x"][:rows], pa.string())})
    document = nachsicht.profile(table).document
    assert (document.rows, len(document.columns)) == (rows, 2)
    assert nachsicht.profile(table).to_html()


def test_a_frame_without_columns_is_profiled():
    assert nachsicht.profile(pd.DataFrame()).document.columns == ()


def _bad(tmp_path: Path) -> dict[str, tuple[object, type, str]]:
    (tmp_path / "empty.csv").touch()
    (tmp_path / "picture.csv").write_bytes(b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR\0\0")
    (tmp_path / "ragged.csv").write_text("a,b\n1,2\n3,4,5\n6,7\n")
    packed = gzip.compress(b"a,b\n" + bytes(str(list(range(9999))), "ascii"))
    (tmp_path / "packed.csv.gz").write_bytes(packed[:2000])
    (tmp_path / "no_files").mkdir()
    (tmp_path / "list.json").write_text("[1, 2, 3]")
    (tmp_path / "lines.jsonl").write_text('{"a": 1}\n{"a": }\n')
    (tmp_path / "cut.parquet").write_bytes(b"PAR1 and then nothing")
    (tmp_path / "checks.csv").write_text("a\n1\n")
    return {
        "missing": (tmp_path / "chekcs.csv", nachsicht.SourceNotFoundError, "Did you mean"),
        "empty": (tmp_path / "empty.csv", nachsicht.EmptySourceError, "empty"),
        "no table": (tmp_path / "picture.csv", nachsicht.UnreadableSourceError, "not a table"),
        "packed": (
            tmp_path / "packed.csv.gz",
            nachsicht.UnreadableSourceError,
            "decompress|complete",
        ),
        "list": (tmp_path / "list.json", nachsicht.UnreadableSourceError, "not a table"),
        "lines": (tmp_path / "lines.jsonl", nachsicht.UnreadableSourceError, "line 2"),
        "pattern": (tmp_path / "part_*.csv", nachsicht.SourceNotFoundError, "no file matches"),
        "ragged": (tmp_path / "ragged.csv", nachsicht.UnreadableSourceError, "line 3"),
        "parquet": (tmp_path / "cut.parquet", nachsicht.UnreadableSourceError, "Parquet"),
        "folder": (tmp_path / "no_files", nachsicht.SourceNotFoundError, "no files"),
        "object": (42, nachsicht.SourceError, "int"),
    }


@pytest.mark.parametrize(
    "name",
    [
        "missing",
        "empty",
        "no table",
        "packed",
        "ragged",
        "parquet",
        "folder",
        "object",
        "list",
        "lines",
        "pattern",
    ],
)
def test_what_is_no_table_is_one_error_that_says_where(name, tmp_path):
    data, kind, words = _bad(tmp_path)[name]
    with pytest.raises(kind, match=words) as caught:
        nachsicht.profile(data)
    assert "\n" not in str(caught.value)
    if isinstance(data, Path):
        assert str(data) in str(caught.value)


@pytest.mark.parametrize("wrong", ["texts", "levels"])
def test_an_arrow_file_whose_places_lead_out_of_it_is_damaged(tmp_path, wrong):
    places = pa.py_buffer(np.array([0, 1 << 40, 4], np.int64))
    texts = pa.Array.from_buffers(pa.large_string(), 2, [None, places, pa.py_buffer(b"calm")])
    codes = pa.Array.from_buffers(pa.int32(), 2, [None, pa.py_buffer(np.array([0, 99], np.int32))])
    levels = pa.DictionaryArray.from_arrays(codes, pa.array(["calm"]), safe=False)
    with pa.OSFile(str(tmp_path / "checks.arrow"), "wb") as file:
        table = pa.table({"temper": texts if wrong == "texts" else levels})
        with pa.ipc.new_file(file, table.schema) as writer:
            writer.write_table(table)
    with pytest.raises(nachsicht.errors.UnreadableSourceError, match="damaged"):
        nachsicht.profile(tmp_path / "checks.arrow")


@pytest.mark.parametrize("way", ["table", "batches"])
def test_a_file_that_is_written_while_it_is_read_is_told(tmp_path, way):
    path = tmp_path / "checks.csv"
    path.write_text("hive,kg\n" + "".join(f"{i},{i % 9}\n" for i in range(2_000)))
    read = {"table": lambda o: o.table(), "batches": lambda o: [*o.batches()]}[way]
    opened = source_of(path, ReadOptions()).open()
    with path.open("a") as file:
        file.write("2000,3\n")
    read(opened)
    assert "the file was written while it was read" in map(str, opened.facts.notes)
    opened = source_of(path, ReadOptions()).open()
    path.write_text("hive,kg\n1,2\n")
    with pytest.raises(nachsicht.UnreadableSourceError, match="shorter"):
        read(opened)


@pytest.mark.parametrize("new", [pa.ipc.new_file, pa.ipc.new_stream])
def test_an_arrow_file_that_is_shortened_while_it_is_read_is_an_error(new, tmp_path):
    path, table = tmp_path / "hives.arrow", pa.table({"frames": range(20_000)})
    with pa.OSFile(str(path), "wb") as file, new(file, table.schema) as writer:
        writer.write_table(table, max_chunksize=1_000)
    opened = source_of(path, ReadOptions()).open()
    assert opened.table().equals(table)
    batches = opened.batches()
    assert next(batches)[0]["frames"][999].as_py() == 999
    os.truncate(path, 30_000)
    with pytest.raises(UnreadableSourceError, match="damaged"):
        list(batches)
    with pytest.raises(UnreadableSourceError, match="damaged"):
        opened.table()
