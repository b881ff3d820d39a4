"""Files and frames become the same profile; what is no table is one clear error."""

import gzip
from pathlib import Path

import pandas as pd
import polars as pl
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from pyarrow import csv

import nachsicht


@pytest.fixture(scope="module")
def path(demo_files) -> Path:
    return demo_files["hive_checks_2024.csv"]


def facts(profile: nachsicht.Profile) -> list[tuple]:
    """What every way of reading must agree on."""
    return [
        (c.name, c.kind, c.rows, c.missing, c.distinct, getattr(c.detail, "mean", None))
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
    assert profile.columns[1].first_seen == "Mül0"
    assert profile.columns[2].detail.maximum == 12.25
    assert note in profile.origin.notes


def test_a_column_that_turns_into_words_late_is_read_as_text(tmp_path):
    lines = [f"{i},{i}" for i in range(900_000)] + ["900000,many"]
    (tmp_path / "late.csv").write_text("\n".join(["a,b", *lines]))
    columns = nachsicht.profile(tmp_path / "late.csv").document.columns
    assert (columns[0].stored_type, columns[1].stored_type) == ("int64", "string")
    assert columns[1].last_seen == "many"


def test_line_breaks_and_quotes_inside_a_cell_are_read(tmp_path):
    (tmp_path / "notes.csv").write_text('a,note\n1,"two\nlines, ""quoted"""\n2,plain\n')
    column = nachsicht.profile(tmp_path / "notes.csv").document.column("note")
    assert column.first_seen == 'two\nlines, "quoted"'


def test_strange_but_legal_frames_are_profiled():
    frame = pd.DataFrame(
        [[1, "a", 2.5, {"x": 1}], [1, 3, None, {"x": 2}]], columns=["a", "a", 7, ("b", "c")]
    )
    frame.index = pd.Index(["r1", "r2"], name="row")
    document = nachsicht.profile(frame).document
    assert [c.name for c in document.columns] == ["row", "a", "a", "7", "b / c"]
    assert document.columns[2].distinct == 2
    assert any("mixed objects" in note for note in document.origin.notes)


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
    (tmp_path / "packed.csv").write_bytes(gzip.compress(b"a,b\n1,2\n"))
    (tmp_path / "cut.parquet").write_bytes(b"PAR1 and then nothing")
    (tmp_path / "checks.csv").write_text("a\n1\n")
    return {
        "missing": (tmp_path / "chekcs.csv", nachsicht.SourceMissing, "Did you mean"),
        "empty": (tmp_path / "empty.csv", nachsicht.SourceEmpty, "empty"),
        "no table": (tmp_path / "picture.csv", nachsicht.SourceUnreadable, "no table"),
        "packed": (tmp_path / "packed.csv", nachsicht.SourceUnreadable, "no table"),
        "ragged": (tmp_path / "ragged.csv", nachsicht.SourceUnreadable, "line 3"),
        "parquet": (tmp_path / "cut.parquet", nachsicht.SourceUnreadable, "Parquet"),
        "folder": (tmp_path, nachsicht.SourceUnreadable, "folder"),
        "object": (42, nachsicht.SourceError, "int"),
    }


@pytest.mark.parametrize(
    "name", ["missing", "empty", "no table", "packed", "ragged", "parquet", "folder", "object"]
)
def test_what_is_no_table_is_one_error_that_says_where(name, tmp_path):
    data, kind, words = _bad(tmp_path)[name]
    with pytest.raises(kind, match=words) as caught:
        nachsicht.profile(data)
    assert "\n" not in str(caught.value)
    if isinstance(data, Path):
        assert str(data) in str(caught.value)
