"""A real PostgreSQL: the same figures as pandas, one state of the table, and no secret said."""

import gc
import subprocess
import sys

import pandas as pd
import pyarrow as pa
import pytest

import nachsicht
from nachsicht.config.settings import ReadOptions
from nachsicht.sources.database import adbc as by_arrow
from nachsicht.sources.database import sql as databases
from nachsicht.testing import assert_conforms, sample_table

pytestmark = pytest.mark.slow


@pytest.fixture(scope="module")
def postgres(postgresql, demo_files):
    """A user with a password, a table with a comment."""
    import sqlalchemy as sql

    url = sql.engine.make_url(postgresql)
    dates = ["checked_on", "checked_at"]
    frame = pd.read_csv(demo_files["hive_checks_2025.csv"], parse_dates=dates)
    engine = sql.create_engine(url)
    with engine.begin() as connection:
        connection.execute(sql.text("create role keeper login password 'geheim'"))
        frame.to_sql("inspections", connection, index=False)
        connection.execute(sql.text("create sequence counted"))
        connection.execute(sql.text("grant select on inspections to keeper"))
        told = "comment on column inspections.hive_weight is 'on the scale, in kg'"
        connection.execute(sql.text(told))
    engine.dispose()
    address = url.set(username="keeper", password="geheim")  # noqa: S106
    return address.render_as_string(hide_password=False), frame


@pytest.fixture(params=["the fast driver", "any driver"])
def driver(request, monkeypatch):
    """With the driver that gives Arrow data, and as if it were not there."""
    if request.param == "any driver":
        monkeypatch.setattr(databases, "has_driver", lambda _: False)
    return request.param


@pytest.mark.usefixtures("driver")
@pytest.mark.parametrize("memory", [0, 100_000])
def test_postgres_gives_types_comments_and_no_credential(postgres, tmp_path, memory):
    address, frame = postgres
    assert "geheim" in address
    made = nachsicht.profile(address, reading={"table": "inspections"}, memory_bytes=memory)
    assert made.document.column("checked_on").kind == "datetime"
    assert made.document.column("hive_weight").stats.mean == pytest.approx(
        frame["hive_weight"].mean(), rel=1e-12
    )
    assert made.document.description.column("hive_weight").text == "on the scale, in kg"
    for name in ("p.html", "p.json", "p.md"):
        assert "geheim" not in made.write(tmp_path / name).read_text()
    assert "geheim" not in str(made)
    assert "geheim" not in made.remedies()


@pytest.mark.usefixtures("driver")
def test_postgres_conforms(postgres):
    import sqlalchemy as sql

    owner = postgres[0].replace("keeper:geheim", "postgres")

    def give(table):
        engine = sql.create_engine(owner)
        frame = table.to_pandas(types_mapper=pd.ArrowDtype)
        frame.to_sql("sample", engine, index_label="n", if_exists="replace")
        engine.dispose()
        return owner

    # A table has no order of its own.
    names = ", ".join(sample_table().schema.names)
    query = f"select {names} from sample order by n"  # noqa: S608
    for settings in ({}, {"engine": "dask"}):
        assert_conforms(give, reading={"query": query}, **settings)


@pytest.fixture
def small_ranges(monkeypatch):
    for module in (by_arrow, databases):
        monkeypatch.setattr(module, "RANGE_ROWS", 1_000)


def execute(address, *statements):
    import sqlalchemy as sql

    engine = sql.create_engine(address)
    with engine.begin() as connection:
        for statement in statements:
            connection.execute(sql.text(statement))
    engine.dispose()


@pytest.mark.usefixtures("small_ranges")
def test_a_large_table_is_read_in_ranges_of_its_key_and_conforms(postgres):
    import sqlalchemy as sql

    owner = postgres[0].replace("keeper:geheim", "postgres")
    rows = sample_table()
    rows = rows.append_column("50% ' id", pa.array(range(7, 7 + 3 * rows.num_rows, 3)))

    def give(table):
        engine = sql.create_engine(owner)
        frame = table.to_pandas(types_mapper=pd.ArrowDtype)
        frame.to_sql("ranged", engine, index=False, if_exists="replace", chunksize=2_000)
        engine.dispose()
        execute(owner, """alter table ranged add primary key ("50% ' id")""")
        return owner

    assert_conforms(give, table=rows, reading={"table": "ranged"})
    statements = databases.DatabaseSource(owner, ReadOptions(table="ranged")).open()
    assert sum(batch.num_rows for batch, _ in statements.batches()) == rows.num_rows


@pytest.mark.usefixtures("small_ranges")
def test_all_ranges_see_one_state_of_the_table(postgres):
    owner = postgres[0].replace("keeper:geheim", "postgres")
    made = "create table changing as select 2 * n as id, 1 as seen from generate_series(1, 9000) n"
    execute(owner, made, "alter table changing add primary key (id)")
    opened = databases.DatabaseSource(owner, ReadOptions(table="changing")).open()
    batches = opened.batches()
    read = [next(batches)[0]]
    execute(owner, "update changing set seen = 2", "insert into changing values (9001, 3)")
    read += [batch for batch, _ in batches]
    assert len(read) > 5
    assert sum(batch.num_rows for batch in read) == 9_000
    assert {value.as_py() for batch in read for value in batch.column("seen")} == {1}


def test_types_that_the_fast_driver_does_not_know_are_read_by_the_other(postgres):
    owner = postgres[0].replace("keeper:geheim", "postgres")
    query = (
        "select gen_random_uuid() as id, n::numeric / 4 as quarter from generate_series(1, 99) n"
    )
    made = nachsicht.profile(owner, reading={"query": query}).document
    assert made.column("id").distinct == 99
    assert made.column("quarter").stats.sum == sum(range(1, 100)) / 4
    plain = nachsicht.profile(owner, reading={"query": query.replace("gen_random_uuid()", "n")})
    assert plain.document.column("quarter").stats.sum == sum(range(1, 100)) / 4


# The driver cannot close a cursor whose connection is gone, and complains of that itself.
@pytest.mark.usefixtures("driver")
@pytest.mark.filterwarnings("ignore::ResourceWarning")
def test_a_connection_that_drops_is_told_and_gives_no_figure(postgres):
    import sqlalchemy as sql

    owner = postgres[0].replace("keeper:geheim", "postgres")
    # The server ends the connection after some thousand rows.
    query = (
        "select n, case when n = 150000 then pg_terminate_backend(pg_backend_pid()) end as ended "
        "from generate_series(1, 400000) as n"
    )
    with pytest.raises(nachsicht.SourceError, match="cannot be read") as failed:
        nachsicht.profile(owner, reading={"query": query}, memory_bytes=100_000)
    assert "geheim" not in str(failed.value)
    del failed
    gc.collect()
    engine = sql.create_engine(owner)
    with engine.connect() as connection:
        assert connection.execute(sql.text("select 1")).scalar() == 1
    engine.dispose()


@pytest.mark.usefixtures("driver")
def test_postgres_errors_hold_no_credential(postgres):
    address, _ = postgres
    owner = address.replace("keeper:geheim", "postgres")
    with pytest.raises(nachsicht.SourceError, match="read-only transaction"):
        nachsicht.profile(owner, reading={"query": "select nextval('counted') as n"})
    for reading in ({"table": "inspection"}, {"query": "delete from inspections returning 1"}):
        with pytest.raises(nachsicht.SourceError) as failed:
            nachsicht.profile(address, reading=reading)
        assert "geheim" not in str(failed.value)
    command = [
        sys.executable,
        "-m",
        "nachsicht",
        "profile",
        address,
        "--table",
        "nothing",
        "--verbose",
    ]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode != 0
    assert "geheim" not in done.stdout + done.stderr
