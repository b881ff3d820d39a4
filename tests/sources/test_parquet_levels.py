"""Parquet columns of few texts are read as levels, and nothing that is told gives that away."""

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

import nachsicht
from nachsicht.arrow.dictionary import stored_type
from nachsicht.sources.columnar.parquet import open_parquet
from nachsicht.sources.protocol import SourceFacts

ROWS = 30_000


def hive_table():
    """Texts of every sort: few, few with gaps, blank ones, numbers and dates, and all different."""
    rng = np.random.default_rng(11)

    def drawn(words, gaps=0.0):
        return pa.array(
            np.array(words)[rng.integers(0, len(words), ROWS)], mask=rng.random(ROWS) < gaps
        )

    return pa.table(
        {
            "yard": drawn(["Hill", "hill", "Märzau", "River "]),
            "note": drawn(["calm", " ", "", "queen seen, brood in all stages", "?"], 0.4),
            "weight": drawn([f"{n / 10:.1f} kg" for n in range(200, 420)]),
            "checked": drawn([f"2025-0{m}-1{d}" for m in range(1, 9) for d in range(9)], 0.1),
            "large": drawn(["box", "log"]).cast(pa.large_string()),
            "treated": drawn(["yes", "no"], 0.02),
            "nothing": pa.nulls(ROWS, pa.string()),
            "hive": pa.array([f"H-{n:06d}" for n in rng.permutation(ROWS)]),
            "mites": rng.poisson(3, ROWS),
        }
    )  # fmt: skip


@pytest.fixture(scope="module")
def stored(tmp_path_factory):
    path = tmp_path_factory.mktemp("levels") / "hives.parquet"
    pq.write_table(hive_table(), path, row_group_size=7_000)
    return path


@pytest.fixture(scope="module")
def hives(stored):
    """The same rows, every text spelt out."""
    return pq.read_table(stored)


def told(profile, memory=True):
    found = msgspec.to_builtins(profile.document)
    del found["origin"]
    for told_of in () if memory else (found, *found["columns"]):
        del told_of["memory_bytes"]
    return found


def test_only_columns_of_few_texts_are_read_so(stored):
    table = open_parquet(stored, SourceFacts(stored.name, "", None)).table()
    levels = {field.name for field in table.schema if pa.types.is_dictionary(field.type)}
    assert {"yard", "note", "weight", "checked", "large", "treated"} <= levels
    assert "hive" not in levels
    kinds = {field.name: stored_type(field) for field in table.schema}
    assert kinds["yard"] == pa.string()
    assert kinds["large"] == pa.large_string()


@pytest.mark.parametrize(
    "options",
    [
        {},
        {"na_values": ("?", "no"), "omit": ("large",)},
        {"outcome": "treated", "time_column": "checked"},
        {"kinds": {"yard": "text", "treated": "category"}},
    ],
    ids=lambda options: " ".join(options) or "plain",
)
def test_a_profile_is_that_of_the_texts_in_memory(hives, stored, options):
    of_file = nachsicht.profile(stored, label="2025", **options)
    of_texts = nachsicht.profile(hives, label="2025", **options)
    # Arrow keeps some of the bytes of texts that were marked as missing.
    memory = "na_values" not in options
    assert told(of_file, memory) == told(of_texts, memory)


def test_masked_levels_are_told_as_masked_texts(hives, stored, monkeypatch):
    monkeypatch.setenv("NACHSICHT_MASK_SECRET", "smoke")
    masked = nachsicht.profile(stored, label="2025", mask=("yard", "note"))
    assert told(masked) == told(nachsicht.profile(hives, label="2025", mask=("yard", "note")))


def test_one_column_and_groups_are_those_of_the_texts_in_memory(hives, stored):
    one, other = (nachsicht.profile(data).column("note").top_values() for data in (stored, hives))
    assert len(one)
    assert one.equals(other)
    one, other = (nachsicht.compare_groups(data, by="yard") for data in (stored, hives))
    assert [columns_of(version) for version in one.document.versions] == [
        columns_of(version) for version in other.document.versions
    ]


def columns_of(version):
    columns = [msgspec.to_builtins(column) for column in version.columns]
    for column in columns:
        del column["memory_bytes"]  # of as many pieces as rows were taken from
    return columns


def test_texts_read_as_levels_are_the_same_rows_as_texts(hives, stored):
    changed = hives.set_column(0, "yard", pa.array(["Lake", *hives["yard"].to_pylist()[1:]]))
    for old in (stored, hives):
        made = nachsicht.compare(old, changed, labels=("old", "new"), key=("hive",))
        assert made.document.rows[0].changed == 1


def test_metadata_that_a_file_brings_is_not_trusted(tmp_path):
    field = pa.field("yard", pa.string(), metadata={"nachsicht.stored": "nonsense"})
    path = tmp_path / "hives.parquet"
    pq.write_table(pa.table([pa.array(["Hill", "River"] * 50)], pa.schema([field])), path)
    assert nachsicht.profile(path).document.columns[0].dtype == "string"
    marked = pa.dictionary(pa.int32(), pa.string())
    assert stored_type(pa.field("yard", marked, metadata=field.metadata)) == marked
