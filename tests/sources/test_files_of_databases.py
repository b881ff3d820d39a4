"""Databases in one file, and ORC files, by their path."""

import pandas as pd
import pyarrow as pa
import pytest
import sqlalchemy as sql
from pyarrow import orc

import nachsicht
from nachsicht.testing import assert_conforms, differences, sample_table

FRAME = pd.DataFrame(
    {"hive": [f"h{i % 9}" for i in range(300)], "mites": [i % 7 for i in range(300)]}
)


@pytest.fixture(params=["sqlite", pytest.param("duckdb", marks=pytest.mark.slow)])
def union(request, tmp_path):
    """A file of a database, whose suffix tells nothing, and what puts a table into it."""
    path = tmp_path / "union.data"

    def put(*names):
        engine = sql.create_engine(f"{request.param}:///{path}")
        for name in names:
            FRAME.to_sql(name, engine, index=False)
        engine.dispose()
        return path

    return put


def test_the_only_table_is_taken(union):
    found, expected = nachsicht.profile(union("checks")).document, nachsicht.profile(FRAME).document
    assert (found.rows, found.names) == (300, expected.names)
    assert found.column("mites").stats == expected.column("mites").stats


def test_of_several_tables_one_is_named(union):
    path = union("checks", "scales")
    assert nachsicht.profile(path, reading={"table": "scales"}).document.rows == 300
    query = "select * from checks where mites > 3"
    assert nachsicht.profile(path, reading={"query": query}).document.rows < 300
    with pytest.raises(nachsicht.SourceError, match="checks, scales"):
        nachsicht.profile(path)


def test_other_files_have_no_tables(tmp_path):
    FRAME.to_csv(tmp_path / "checks.csv", index=False)
    with pytest.raises(nachsicht.SourceError, match="this is a file"):
        nachsicht.profile(tmp_path / "checks.csv", reading={"table": "checks"})


def written_as_orc(table, path):
    table = table.set_column(3, "temper", table["temper"].cast(pa.string()))
    orc.write_table(table, path, stripe_size=1 << 16, compression="zstd")
    return path


def test_orc_is_read_as_it_was_written(tmp_path):
    assert_conforms(lambda table: written_as_orc(table, tmp_path / "checks.orc"))
    streamed = nachsicht.profile(tmp_path / "checks.orc", memory_bytes=400_000).document
    whole = nachsicht.profile(tmp_path / "checks.orc").document
    assert not [*differences(whole, streamed, sample_table())]


def test_damaged_orc_is_said(tmp_path):
    path = written_as_orc(sample_table(500), tmp_path / "checks.orc")
    path.write_bytes(path.read_bytes()[:-200])
    with pytest.raises(nachsicht.UnreadableSourceError, match=r"checks\.orc"):
        nachsicht.profile(path)
