"""A database computes a profile by itself: the figures of pandas, and no more read than results."""

import math
import subprocess
import sys

import numpy as np
import pandas as pd
import pytest
import sqlalchemy as sql
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

import nachsicht
from nachsicht.engines import sql as engine
from nachsicht.sources.database.aggregates import ColumnReading, DatabaseTable
from nachsicht.testing import sample_table


@pytest.fixture(scope="module")
def frame():
    """Rows of every kind, some equal; with infinite numbers."""
    found = sample_table().to_pandas()
    found.loc[5:7, "spread"] = math.inf
    found.loc[9, "spread"] = -math.inf
    return found


def put(address, frame, name="checks"):
    engine = sql.create_engine(address)
    frame.to_sql(name, engine, index=False, if_exists="replace", chunksize=5_000)
    engine.dispose()


@pytest.fixture(
    scope="module",
    params=[
        "sqlite",
        pytest.param("postgresql", marks=pytest.mark.slow),
        pytest.param("duckdb", marks=pytest.mark.slow),
    ],
)
def database(request, tmp_path_factory, frame):
    """The address of a database with a table `checks`; SQLite has neither dates nor flags."""
    kind = request.param
    if kind == "postgresql":
        address = request.getfixturevalue("postgresql")
    else:
        address = f"{kind}:///{tmp_path_factory.mktemp(kind)}/union.db"
    put(address, frame)
    return kind, address


@pytest.fixture(params=[1 << 16, 50], ids=["few values are read", "hardly any value is read"])
def most_values(request, monkeypatch):
    """How many different values of a column are read, so that both ways are gone."""
    monkeypatch.setattr(engine, "MOST_VALUES", request.param)
    monkeypatch.setattr(engine, "_FEW", 0.01 if request.param == 50 else 1.0)
    return request.param


def profiled(address, table="checks", **settings):
    made = nachsicht.profile(address, reading={"table": table}, engine="sql", **settings)
    return made.document


@pytest.mark.usefixtures("most_values")
def test_figures_are_those_of_pandas(database, frame):
    _, address = database
    document = profiled(address)
    (note,) = document.origin.notes
    assert (note.code, note.facts["of"], document.rows) == (
        "computed_in_database", len(frame), len(frame)
    )  # fmt: skip
    for column in document.columns:
        values = frame[column.name]
        counts = values.value_counts()
        assert (column.missing, column.distinct) == (values.isna().sum(), len(counts)), column.name
        assert column.unique_once == (counts == 1).sum()
        often = counts[[value not in (math.inf, -math.inf) for value in counts.index]]
        assert [level.count for level in column.top_values] == often.iloc[:10].tolist()
        squares = (counts**2).sum() + column.missing**2
        assert column.collision_probability == pytest.approx(squares / len(frame) ** 2, rel=1e-12)
    for name in ("mites", "weight", "honey_kg", "spread"):
        detail, values = document.column(name).stats, frame[name].dropna()
        finite = values[np.isfinite(values)]
        assert detail.n_finite == len(finite)
        assert (detail.minimum, detail.maximum) == (finite.min(), finite.max())
        assert detail.mean == pytest.approx(finite.mean(), rel=1e-12)
        assert detail.std == pytest.approx(finite.std(), rel=1e-12)
        assert detail.skewness == pytest.approx(stats.skew(finite, bias=False), rel=1e-9)
        assert detail.kurtosis == pytest.approx(stats.kurtosis(finite, bias=False), rel=1e-9)
        assert (detail.zeros, detail.negatives) == ((finite == 0).sum(), (finite < 0).sum())
        lowest = finite.value_counts().sort_index().iloc[:10]
        assert [(n.value, n.count) for n in detail.lowest] == [*lowest.items()]
        bounds = document.column(name).error_bounds
        for quantile in detail.quantiles:
            near = [(finite < quantile.value).mean(), (finite <= quantile.value).mean()]
            off = max(near[0] - quantile.share, quantile.share - near[1])
            assert off <= (bounds.rank if bounds else 0) + 1 / len(finite)


def corrected_v(table):
    """Cramér's V with the correction of Bergsma (2013)."""
    n, (r, k) = table.sum(), table.shape
    phi2 = max(0, stats.chi2_contingency(table, correction=False).statistic / n)
    phi2 = max(0, phi2 - (r - 1) * (k - 1) / (n - 1))
    r, k = r - (r - 1) ** 2 / (n - 1), k - (k - 1) ** 2 / (n - 1)
    return math.sqrt(phi2 / (min(r, k) - 1))


def test_columns_together_are_those_of_pandas(database, frame):
    kind, address = database
    document = profiled(address)
    numbers = frame[["mites", "weight", "honey_kg"]]
    for pair in document.relations.pairs:
        if pair.x in numbers and pair.y in numbers:
            assert pair.pearson == pytest.approx(numbers[pair.x].corr(numbers[pair.y]), abs=1e-10)
    crossed = [pair for pair in document.relations.pairs if pair.measure == "cramers_v"]
    assert len(crossed) == 3
    for pair in crossed:
        table = pd.crosstab(frame[pair.x], frame[pair.y]).to_numpy()
        assert pair.rows == table.sum()
        assert pair.value == pytest.approx(corrected_v(table), abs=1e-9)
    assert document.duplicates.duplicate_rows == frame.duplicated().sum()
    gaps = frame.isna()
    expected = gaps[gaps.any(axis=1)].value_counts()
    found = {pattern.columns: pattern.rows for pattern in document.missing_patterns.patterns}
    for flags, rows in expected.items():
        names = tuple(name for name, gap in zip(frame.columns, flags, strict=True) if gap)
        assert found.pop(names) == rows
    assert not found
    tables = {(t.column, t.by): t for t in document.missing_by_level}
    table = tables["note", "apiary"]
    held = frame.groupby("apiary")["note"].apply(lambda notes: int(notes.isna().sum()))
    assert dict(zip(table.levels, table.missing, strict=True)) == held.to_dict()
    if kind != "sqlite":  # which keeps dates as texts
        checked = document.column("checked_at").stats
        assert checked.minimum.startswith(str(frame["checked_at"].min())[:16])
        assert document.column("queen_seen").kind == "flag"


def test_no_more_is_read_than_results(database, monkeypatch):
    _, address = database
    read = []
    asked = DatabaseTable.results

    def counted(self, statement):
        rows = asked(self, statement)
        read.append(len(rows))
        return rows

    monkeypatch.setattr(DatabaseTable, "results", counted)
    monkeypatch.setattr(engine, "SIZE", 100)
    monkeypatch.setattr(engine, "MOST_VALUES", 50)
    monkeypatch.setattr(engine, "_FEW", 0.5)
    monkeypatch.setattr("nachsicht.sources.database.aggregates.STEPS", 64)
    monkeypatch.setattr("nachsicht.sources.database.aggregates.TOP", 64)
    document = profiled(address)
    assert max(read) <= 64 + 64 + 2 * 16 + 1 + 8
    assert document.relations.sampled_rows == 100


def test_what_is_hidden_omitted_and_marked(database, frame):
    _, address = database
    made = nachsicht.profile(
        address,
        reading={"table": "checks"},
        engine="sql",
        mask=("apiary",),
        omit=("note",),
        na_values_by_column={"temper": ("calm",), "mites": ("4",)},
    )
    document = made.document
    assert b"Apiary" not in made.to_json()
    assert "Apiary" not in made.to_html()
    assert document.column("note") is None
    assert document.column("apiary").distinct == frame["apiary"].nunique()
    marked = (frame["temper"] == "calm").sum() + frame["temper"].isna().sum()
    assert document.column("temper").missing == marked
    assert document.column("mites").missing == (frame["mites"] == 4).sum()


def test_drawn_rows_are_the_same_where_there_is_a_key(tmp_path):
    address = f"sqlite:///{tmp_path}/keyed.db"
    made = sql.create_engine(address)
    with made.begin() as connection:
        connection.execute(sql.text("create table hives (id integer primary key, kg real)"))
        connection.execute(
            sql.text("insert into hives values (:id, :kg)"),
            [{"id": i, "kg": (i * 37 % 101) / 3} for i in range(20_000)],
        )
    made.dispose()
    one, two = (profiled(address, "hives") for _ in range(2))
    assert one.excerpt == two.excerpt
    assert one.relations.sampled_rows == 10_000
    ids = [int(row[0]) for row in one.excerpt.sampled]
    assert max(ids) - min(ids) > 5_000
    assert one.duplicates.duplicate_rows == 0


def test_a_key_may_be_of_texts(database):
    _, address = database
    made = sql.create_engine(address)
    with made.begin() as connection:
        connection.execute(sql.text("drop table if exists tags"))
        connection.execute(sql.text("create table tags (tag varchar(9) primary key, kg real)"))
        rows = [{"tag": f"T-{i:05d}", "kg": i % 7} for i in range(500)]
        connection.execute(sql.text("insert into tags values (:tag, :kg)"), rows)
    made.dispose()
    document = profiled(address, "tags")
    assert document.duplicates.duplicate_rows == 0
    assert (document.column("tag").distinct, document.column("kg").distinct) == (500, 7)
    assert len({row[0] for row in document.excerpt.sampled}) == 10


def test_names_are_taken_as_they_are(database):
    _, address = database
    names = ["50% ' kg", 'of "bees"', "select", "x:y", "Größe; --"]
    rng = np.random.default_rng(4)
    odd = pd.DataFrame({name: rng.normal(size=60) for name in names})
    odd.iloc[:5, 0] = np.nan
    put(address, odd, "odd")
    document = profiled(address, "odd")
    assert [column.name for column in document.columns] == names
    for pair in document.relations.pairs:
        assert pair.pearson == pytest.approx(odd[pair.x].corr(odd[pair.y]), abs=1e-10)
    made = nachsicht.compare_groups(
        address, names[2], split_at=(0,), reading={"table": "odd"}, engine="sql"
    )
    assert sum(version.rows for version in made.document.versions) == 60


@given(st.lists(st.integers(-50, 50) | st.floats(-1e3, 1e3), min_size=1, max_size=300))
def test_ranks_are_within_their_bound(numbers):
    made = sql.create_engine("sqlite://")
    with made.begin() as connection:
        pd.DataFrame({"kg": np.array(numbers, float)}).to_sql("t", connection, index=False)
        table = DatabaseTable(connection, sql.table("t", sql.column("kg")), ["kg"], None)
        few = table.read_as([ColumnReading("kg", "number")])
        with pytest.MonkeyPatch.context() as patched:
            patched.setattr("nachsicht.sources.database.aggregates.STEPS", 8)
            spread = few.spread("kg", len(numbers), ranked=True, finite=True)
    made.dispose()
    ordered = np.sort(np.array(numbers, float))
    reached = np.cumsum(spread.ranks.counts)
    assert reached[-1] == len(ordered)
    for rank, value in enumerate(ordered):
        stands = spread.ranks.values[int(np.searchsorted(reached, rank, "right"))]
        first, last = np.searchsorted(ordered, stands), np.searchsorted(ordered, stands, "right")
        assert first - spread.error <= rank <= last - 1 + spread.error
        assert value >= ordered[0] <= stands


def test_values_that_no_drawn_row_has_and_texts_among_numbers(tmp_path, monkeypatch):
    monkeypatch.setattr(engine, "SIZE", 10)
    address = f"sqlite:///{tmp_path}/odd.db"
    frame = pd.DataFrame({"id": range(3_000), "late": None, "kg": 1.5})
    frame["late"] = frame["late"].astype(object)
    frame.loc[[7, 8, 2_999], "late"] = [4, 4, 9]
    frame["kg"] = frame["kg"].astype(object)
    frame.loc[2_000, "kg"] = "broken"
    put(address, frame)
    document = profiled(address, key=("id",))
    late, weight = document.column("late"), document.column("kg")
    assert (late.missing, late.distinct, late.dtype) == (2_997, 2, "int64")
    assert (weight.missing, weight.distinct) == (0, 2)
    assert {level.value for level in weight.top_values} == {"1.5", "broken"}


def test_empty_tables_and_queries(tmp_path):
    address = f"sqlite:///{tmp_path}/few.db"
    put(address, pd.DataFrame({"kg": [1.5], "note": [None]}))
    (weight, note) = profiled(address).columns
    assert (weight.distinct, note.kind, note.missing) == (1, "empty", 1)
    asked = "select kg, note, kg * 2 as twice from checks where kg > 9"
    made = nachsicht.profile(address, reading={"query": asked}, engine="sql").document
    assert (made.rows, [column.kind for column in made.columns]) == (0, ["empty"] * 3)
    with pytest.raises(nachsicht.SourceError, match="called kg"):
        reading = {"query": "select kg, kg from checks"}
        nachsicht.profile(address, reading=reading, engine="sql")


def test_a_description_is_refused(database, tmp_path):
    _, address = database
    path = tmp_path / "schema.json"
    path.write_text('{"fields": [{"name": "mites", "type": "integer"}]}')
    with pytest.raises(nachsicht.SettingsError, match="description"):
        reading = {"table": "checks", "description": str(path)}
        nachsicht.profile(address, reading=reading, engine="sql")


def test_what_is_no_database_is_refused_in_one_line(tmp_path, demo_files):
    done = subprocess.run(
        [sys.executable, "-m", "nachsicht", "profile", demo_files["hive_checks_2025.csv"],
         "--set", "engine=sql", "-q", "-o", tmp_path / "page.html"],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert (done.returncode, done.stderr.count("\n")) == (2, 1)
    assert "PostgreSQL" in done.stderr
    assert not list(tmp_path.iterdir())


WAYS = {
    "each with the rest": {"by": "temper"},
    "two": {"by": "temper", "groups": ("calm", "lively")},
    "by numbers": {"by": "mites", "split_at": (3, 6)},
    "months": {"by": "checked_at"},
    "masked": {"by": "temper", "mask": ("temper",)},
}


@pytest.mark.parametrize(
    "way",
    [pytest.param(w, marks=() if n == "two" else pytest.mark.slow, id=n) for n, w in WAYS.items()],
)
def test_groups_are_those_of_the_rows(database, frame, way):
    _, address = database
    made = nachsicht.compare_groups(address, reading={"table": "checks"}, engine="sql", **way)
    expected = nachsicht.compare_groups(frame, **way).document
    found = made.document
    if "mask" not in way:
        assert [v.label for v in found.versions] == [v.label for v in expected.versions]
    assert [v.rows for v in found.versions] == [v.rows for v in expected.versions]
    for one, other in zip(expected.versions, found.versions, strict=True):
        assert way["by"] not in [column.name for column in other.columns]
        for column in ("apiary", "mites", "weight"):
            if column != way["by"]:
                held, kept = one.column(column), other.column(column)
                assert (held.missing, held.distinct) == (kept.missing, kept.distinct)
    assert all(v.origin.notes[-1].code == "computed_in_database" for v in found.versions)


def test_groups_need_a_column_of_few_values(database, monkeypatch):
    _, address = database
    monkeypatch.setattr("nachsicht.pipeline.group_rows.MOST_VALUES", 20)
    with pytest.raises(nachsicht.SettingsError, match="too many"):
        nachsicht.compare_groups(address, "check_id", reading={"table": "checks"}, engine="sql")
    with pytest.raises(nachsicht.SettingsError, match="temper"):
        nachsicht.compare_groups(address, "tempr", reading={"table": "checks"}, engine="sql")
