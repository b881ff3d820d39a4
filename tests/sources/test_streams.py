"""Every source streams to the same figures as it gives in memory."""

import gzip
import lzma

import msgspec
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from pyarrow import csv, feather

import nachsicht

#: Little enough that every source is streamed.
MEMORY = 500_000


@pytest.fixture
def keep_all(monkeypatch):
    """Streams keep all values, so that their figures can be compared to the last digit."""
    monkeypatch.setattr("nachsicht.engines.local._KEPT", 1000)


@pytest.fixture(scope="module")
def table(demo_files):
    options = csv.ConvertOptions(strings_can_be_null=True)
    return csv.read_csv(demo_files["hive_checks_2025.csv"], convert_options=options)


@pytest.fixture(scope="module")
def places(table, demo_files, tmp_path_factory):
    folder = tmp_path_factory.mktemp("streams")
    text = demo_files["hive_checks_2025.csv"].read_bytes()
    pq.write_table(table, folder / "checks.parquet", row_group_size=1000)
    feather.write_feather(table, folder / "checks.arrow")
    (folder / "checks.csv").write_bytes(text)
    (folder / "checks.csv.gz").write_bytes(gzip.compress(text))
    (folder / "checks.csv.xz").write_bytes(lzma.compress(text))
    (folder / "parts").mkdir()
    for start in range(0, table.num_rows, 2500):
        pq.write_table(table.slice(start, 2500), folder / "parts" / f"part_{start:05d}.parquet")
    return folder


def figures(document):
    """What must be the same to the last digit, whatever the source."""
    return [
        (c.name, c.kind, c.rows, c.missing, c.distinct, c.first_value, c.last_value, c.error_bounds)
        for c in document.columns
    ]


def without_cells(repeats):
    """Rows that were read in pieces are no longer there to be shown."""
    groups = tuple(msgspec.structs.replace(group, cells=()) for group in repeats.groups)
    return msgspec.structs.replace(repeats, groups=groups)


FORMS = ("checks.parquet", "checks.arrow", "checks.csv", "checks.csv.gz", "checks.csv.xz", "parts")


@pytest.mark.parametrize("name", FORMS)
def test_a_stream_of_any_source_gives_the_figures_of_the_whole(name, places, table, keep_all):
    exact = nachsicht.profile(table).document
    heard = []
    stream = nachsicht.profile(places / name, memory_bytes=MEMORY, progress=heard.append).document
    assert {step.what for step in heard} == {"bytes"}
    assert figures(stream) == figures(exact)
    for part, whole in zip(
        (stream.duplicates, *stream.duplicates_by_subset),
        (exact.duplicates, *exact.duplicates_by_subset),
        strict=True,
    ):
        assert part == without_cells(whole)
    assert stream.pairs == exact.pairs
    assert stream.components == exact.components
    assert stream.over_time == exact.over_time
    for part, whole in zip(stream.relations.pairs, exact.relations.pairs, strict=True):
        assert part == whole
    assert stream.missing_by_level == exact.missing_by_level
    for a, b in zip(exact.columns, stream.columns, strict=True):
        assert b.stats == a.stats, a.name
        assert b.top_values == a.top_values


def test_findings_of_streams_are_those_of_the_whole(places, demo_files, keep_all):
    old = nachsicht.profile(demo_files["hive_checks_2024.csv"], memory_bytes=MEMORY)
    new = nachsicht.profile(places / "parts", memory_bytes=MEMORY)
    labels = ["2024", "2025"]
    found = nachsicht.compare(old, new, labels=labels).findings
    exact = nachsicht.compare(
        demo_files["hive_checks_2024.csv"], places / "checks.csv", labels=labels
    ).findings
    told = [[(f.code, f.severity, f.columns, f.title) for f in side] for side in (found, exact)]
    assert told[0] == told[1]
    # Distances of profiles alone are off by no more than the share of rows between two knots.
    for one, other in zip(found, exact, strict=True):
        assert one.size == pytest.approx(other.size, abs=2 / 256)


def test_a_category_of_very_many_levels_keeps_the_frequent_ones():
    levels = [f"level {i}" for i in range(40_000)] * 5 + ["level 7"] * 90_000
    exact, rough = (
        nachsicht.profile(pa.table({"t": levels}), memory_bytes=m).document.columns[0]
        for m in (0, 500_000)
    )
    assert exact.kind == rough.kind == "category"
    assert rough.error_bounds.count > 0
    top = rough.top_values[0]
    assert top.value == "level 7"
    assert 90_005 - rough.error_bounds.count <= top.count <= 90_005
    total = len(rough.stats.levels) + rough.stats.other_levels
    assert total == pytest.approx(40_000, rel=2 * rough.error_bounds.distinct_rel)
    rows = sum(level.count for level in rough.stats.levels) + rough.stats.other_rows
    assert rows == len(levels)
    assert "≈" in str(nachsicht.profile(pa.table({"t": levels}), memory_bytes=500_000))


def test_a_damaged_part_names_its_file_and_nothing_is_made_up(places, tmp_path):
    for path in (places / "parts").iterdir():
        (tmp_path / path.name).write_bytes(path.read_bytes())
    broken = tmp_path / "part_02500.parquet"
    broken.write_bytes(broken.read_bytes()[:-200] + b"\0" * 200)
    for memory in (0, MEMORY):
        with pytest.raises(nachsicht.UnreadableSourceError, match="part_02500"):
            nachsicht.profile(tmp_path, memory_bytes=memory)


def test_parts_whose_types_differ_are_read_as_text_or_refused(tmp_path):
    (tmp_path / "a.csv").write_text("n,t\n1,x\n2,y\n")
    (tmp_path / "b.csv").write_text("n,t\nmany,x\n3,y\n")
    column = nachsicht.profile(tmp_path).document.columns[0]
    assert (column.dtype, column.distinct) == ("large_string", 4)
    with pytest.raises(nachsicht.UnreadableSourceError, match="other types"):
        nachsicht.profile(tmp_path, memory_bytes=1)


def test_json_of_mixed_types_becomes_text(tmp_path):
    (tmp_path / "x.jsonl").write_text('{"a": 1, "b": [1]}\n\n{"a": "two"}\n{"b": []}\n')
    columns = nachsicht.profile(tmp_path / "x.jsonl").document.columns
    assert [(c.name, c.missing) for c in columns] == [("a", 1), ("b", 1)]
    assert columns[0].last_value == "two"


def test_a_disk_that_is_full_leaves_nothing_half_written(tmp_path, demo_comparison, monkeypatch):
    target = tmp_path / "x.html"
    target.write_text("the former page")

    def refuse(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr("nachsicht._util.atomic_write.Path.replace", refuse)
    with pytest.raises(nachsicht.OutputError, match="No space left"):
        demo_comparison.write(target)
    assert [path.name for path in tmp_path.iterdir()] == ["x.html"]
    assert target.read_text() == "the former page"


@pytest.mark.parametrize(
    "settings",
    [{"memory_bytes": 1}, pytest.param({"engine": "dask"}, marks=pytest.mark.slow)],
    ids=["pieces", "dask"],
)
def test_a_stream_without_rows_is_a_table_without_rows(settings, tmp_path):
    (tmp_path / "none.csv").write_text("weight,note\n")
    made = nachsicht.profile(tmp_path / "none.csv", memory_bytes=1).document
    assert (made.rows, [c.name for c in made.columns]) == (0, ["weight", "note"])
    empty = pa.table({"weight": pa.array([], pa.float64()), "note": pa.array([], pa.string())})
    pq.write_table(empty, tmp_path / "none.parquet")
    made = nachsicht.profile(tmp_path / "none.parquet", **settings).document
    assert (made.rows, [c.name for c in made.columns]) == (0, ["weight", "note"])
