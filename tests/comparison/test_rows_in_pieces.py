"""Rows by key of versions that do not fit in memory: told as if they did."""

import signal
import subprocess
import sys
from contextlib import closing
from pathlib import Path

import numpy as np
import pandas as pd
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

import nachsicht
from nachsicht._util.spill import Partitioned, Partitions
from nachsicht.comparison.rows.picked import evenly_among
from nachsicht.errors import SpillError

N = 12_000
#: So little that both versions are read in pieces and go to disk; the last, that rows that differ
#: are too many to be at hand together.
LITTLE = {"pieces": 900_000, "smaller pieces": 500_000, "too many to be at hand": 130_000}


def hives(seed=5):
    rng = np.random.default_rng(seed)
    return pd.DataFrame(
        {
            "hive": [f"H-{i:06d}" for i in rng.permutation(N)],
            "honey": np.round(rng.gamma(2, 5, N), 2),
            "yard": rng.choice(["Grünau", "Mühlbach", "Tannwinkel"], N),
            "frames": rng.integers(4, 20, N),
            "seen": pd.Timestamp("2024-05-01") + pd.to_timedelta(rng.integers(0, 90, N), "D"),
        }
    )


def rescaled(old):
    there = (old.yard == "Grünau") & (old.index < 4_000)
    return old.assign(honey=np.where(there, old.honey * 10, old.honey))


def come_and_gone(old):
    fresh = old.iloc[:25].assign(hive=[f"N-{i}" for i in range(25)])
    return pd.concat([fresh, old.drop(index=range(700, 1_000))], ignore_index=True)


def level_gone(old):
    gone = (old.yard == "Tannwinkel") & (old.index % 4 > 0)
    return old[~gone].reset_index(drop=True)


def shuffled(old):
    new = old.sample(frac=1, random_state=3).reset_index(drop=True)
    new.loc[50:59, "yard"] = None
    return new.assign(frames=new.frames.where(new.index % 7 > 0, new.frames + 1))


def keys_repeat(old):
    return pd.concat([old, old.iloc[10:40].assign(frames=1)], ignore_index=True)


def columns_come_and_go(old):
    other = old.rename(columns={"honey": "honey_kg"}).assign(
        keeper="Ada", frames=old.frames + 0.5 * (old.index < 1_500)
    )
    return other[["keeper", "hive", "frames", "honey_kg", "yard"]]


def number_keys(old):
    return old.assign(hive=old.hive.str[2:].astype(int), frames=old.frames.astype(str))


CHANGES = [rescaled, come_and_gone, level_gone, shuffled, keys_repeat, columns_come_and_go]


def written(folder, **versions):
    for name, version in versions.items():
        pq.write_table(
            pa.Table.from_pandas(version, preserve_index=False),
            folder / f"{name}.parquet",
            row_group_size=1_700,
        )
    return [folder / f"{name}.parquet" for name in versions]


def rows_of(old, new, **options):
    (rows,) = nachsicht.compare(old, new, **options).document.rows
    return rows


@pytest.mark.parametrize(
    ("change", "memory"),
    [
        pytest.param(change, n, id=f"{change.__name__}-{name}", marks=marks)
        for change in CHANGES
        for name, n in LITTLE.items()
        for marks in [[] if (change, name) == (shuffled, "pieces") else pytest.mark.slow]
    ],
)
def test_what_is_told_is_what_memory_tells(change, memory, tmp_path):
    old, new = hives(), change(hives())
    paths = written(tmp_path, old=old, new=new)
    expected = rows_of(*paths, key="hive", memory_bytes=1 << 33)
    found = rows_of(*paths, key="hive", memory_bytes=memory)
    assert expected.added or expected.removed or expected.changed or expected.duplicate_keys[1]
    if memory == LITTLE["too many to be at hand"]:
        expected, found = _counts(expected), _counts(found)
    assert found == expected


def _counts(rows):
    cells = {cell.column: (cell.rows, cell.rewrite) for cell in rows.changed_cells}
    counted = (rows.added, rows.removed, rows.changed, rows.unchanged, rows.duplicate_keys)
    return counted, cells, rows.lost_run, rows.lost_level, rows.added_keys, rows.removed_keys


def without_key(old):
    """Rows that repeat, and that nothing names."""
    return pd.concat([old.drop(columns="hive"), old.drop(columns="hive").iloc[:2_000]])


def a_run_gone(old):
    return old.drop(index=range(5_000, 5_400))


@pytest.mark.slow
@pytest.mark.parametrize("change", [rescaled, come_and_gone, level_gone, shuffled, a_run_gone])
@pytest.mark.parametrize("stored", ["alike", "otherwise"])
def test_whole_rows_are_compared_where_no_key_names_them(change, stored, tmp_path):
    old, new = (without_key(version) for version in (hives(), change(hives())))
    if stored == "otherwise":
        new = new.assign(keeper="Ada", frames=new.frames.astype(float))
    paths = written(tmp_path, old=old, new=new)
    expected = rows_of(*paths, memory_bytes=1 << 33)
    assert expected.key == ()
    assert expected.added or expected.removed or expected.changed
    assert rows_of(*paths, memory_bytes=1_150_000) == expected
    few = rows_of(*paths, memory_bytes=130_000)
    assert (few.added, few.removed, few.unchanged) == (
        expected.added + expected.changed,
        expected.removed + expected.changed,
        expected.unchanged,
    )


@pytest.mark.parametrize("large", [0, 1])
def test_one_version_in_memory_and_one_not(large, tmp_path):
    versions = hives(), shuffled(hives())
    expected = rows_of(*versions, key="hive")
    given = [*versions]
    given[large] = written(tmp_path, large=versions[large])[0]
    assert rows_of(*given, key="hive", memory_bytes=1_000_000) == expected


def test_texts_and_numbers_are_one_key_until_a_text_is_no_number(tmp_path):
    old = hives().assign(hive=lambda d: d.hive.str[2:])
    for last in (None, "B-17"):
        if last:
            old.loc[N - 1, "hive"] = last
        new = hives().assign(hive=lambda d: d.hive.str[2:].astype(int))
        paths = written(tmp_path, old=old, new=new)
        expected = rows_of(*paths, key="hive", memory_bytes=1 << 33)
        assert rows_of(*paths, key="hive", memory_bytes=500_000) == expected
        assert (expected.unchanged == N) is (last is None)


def test_a_key_is_found_as_in_memory(tmp_path):
    rng = np.random.default_rng(8)
    days = np.repeat(np.datetime64("2024-01-01") + np.arange(N // 40), 40)
    old = hives().assign(hive=[f"hive {i % 40}" for i in range(N)], day=days)
    new = old.assign(frames=np.where(rng.random(N) < 0.1, 3, old.frames)).drop(index=range(90))
    for versions in ((old, new), (hives(), shuffled(hives()))):
        paths = written(tmp_path, old=versions[0], new=versions[1])
        expected = rows_of(*paths, memory_bytes=1 << 33)
        assert expected.key_detected
        assert rows_of(*paths, memory_bytes=900_000) == expected


_CELL = st.one_of(st.none(), st.integers(0, 3))
_ROWS = st.lists(st.tuples(st.integers(0, 30), _CELL, _CELL), min_size=1, max_size=60)


@given(_ROWS, _ROWS)
@settings(deadline=None)
def test_any_rows_match_as_in_a_merge(tmp_path_factory, old, new):
    names, folder = ["hive", "frames", "mites"], tmp_path_factory.mktemp("rows")
    schema = pa.schema([(name, pa.int64()) for name in names])
    frames = [
        pa.Table.from_pylist([dict(zip(names, row, strict=True)) for row in rows], schema)
        for rows in (old, new)
    ]
    paths = [folder / "old.parquet", folder / "new.parquet"]
    for path, frame in zip(paths, frames, strict=True):
        pq.write_table(frame, path, row_group_size=7)
    found = rows_of(*paths, key="hive", memory_bytes=1)
    once = lambda frame: frame.groupby("hive").filter(lambda rows: len(rows) == 1)  # noqa: E731
    one, other = (once(frame.to_pandas()) for frame in frames)
    both = one.merge(other, on="hive")
    assert found.unchanged + found.changed == len(both)
    keys = [frame.to_pandas().hive for frame in frames]
    assert found.removed == (~keys[0].isin(keys[1])).sum()
    assert found.added == (~keys[1].isin(keys[0])).sum()
    differ = {}
    for name in names[1:]:
        before, after = both[f"{name}_x"], both[f"{name}_y"]
        differ[name] = int(((before != after) & ~(before.isna() & after.isna())).sum())
    cells = {cell.column: cell.rows for cell in found.changed_cells}
    assert cells == {name: rows for name, rows in differ.items() if rows}


@given(arrays(bool, st.integers(0, 300_000)), st.integers(1, 50))
@settings(deadline=None)
def test_rows_are_drawn_evenly(marked, most):
    there = np.flatnonzero(marked)
    ranks = np.linspace(0, len(there) - 1, min(len(there), most)).astype(int)
    assert evenly_among(marked, most).tolist() == there[ranks].tolist()


@given(st.lists(st.lists(st.integers(0, 999), max_size=40), max_size=8), st.integers(0, 200))
def test_records_come_back_in_their_order(batches, most_bytes):
    with closing(Partitions(np.dtype("<i8"), 7, most_bytes)) as partitions:
        for batch in batches:
            records = np.array(batch, np.int64)
            partitions.add(Partitioned.of(records, (records % 7).astype(np.uint16), 7))
        total = sum(map(len, batches)) * 8
        assert (partitions.spilled_bytes > 0) == (total > most_bytes)
        for i in range(7):
            expected = [n for batch in batches for n in batch if n % 7 == i]
            assert partitions.of(i).tolist() == expected


SPILLS = """
import sys, time
import nachsicht
from nachsicht._util import spill

def slow(self, write=spill.Partitions._write):
    write(self)
    print("spilled", flush=True)
    time.sleep(60 if sys.argv[4] == "wait" else 0)

spill.Partitions._write = slow
if sys.argv[4] == "full":
    import resource
    resource.setrlimit(resource.RLIMIT_FSIZE, (100_000, 100_000))
try:
    nachsicht.compare(sys.argv[1], sys.argv[2], key="hive", memory_bytes=300_000,
                      spill_folder=sys.argv[3]).document
except nachsicht.SpillError as error:
    print("refused:", error)
"""


def spilling(tmp_path, how):
    paths = written(tmp_path, old=hives(), new=shuffled(hives()))
    folder = tmp_path / "spill"
    folder.mkdir()
    command = [sys.executable, "-c", SPILLS, *map(str, paths), str(folder), how]
    return subprocess.Popen(command, stdout=subprocess.PIPE, text=True), folder


@pytest.mark.slow
@pytest.mark.skipif(not hasattr(signal, "SIGKILL"), reason="asks for signals")
def test_killed_while_it_spills_it_leaves_nothing(tmp_path):
    process, folder = spilling(tmp_path, "wait")
    with process:
        assert process.stdout.readline() == "spilled\n"
        if sys.platform == "linux":
            held = [str(f.readlink()) for f in Path(f"/proc/{process.pid}/fd").iterdir()]
            assert any(str(folder) in link for link in held)
        process.kill()
    assert not any(folder.iterdir())


@pytest.mark.slow
@pytest.mark.skipif(sys.platform == "win32", reason="files have no limit of their own")
def test_a_full_disk_is_told_in_one_line(tmp_path):
    process, folder = spilling(tmp_path, "full")
    said, _ = process.communicate(timeout=120)
    assert "refused: rows that do not fit in memory cannot be kept on disk" in said
    assert str(folder) in said
    assert "--spill-folder" in said
    assert not any(folder.iterdir())


def test_a_folder_that_is_not_there_is_told(tmp_path):
    paths = written(tmp_path, old=hives(), new=shuffled(hives()))
    gone = tmp_path / "gone"
    with pytest.raises(SpillError, match="gone"):
        rows_of(*paths, key="hive", memory_bytes=300_000, spill_folder=str(gone))


@pytest.mark.parametrize("change", [shuffled, lambda old: old.iloc[:-1]], ids=["rows", "fewer"])
def test_data_that_changes_while_it_is_read_again_is_refused(change, tmp_path):
    paths = written(tmp_path, old=hives(), new=shuffled(hives()))
    made = nachsicht.compare(*paths, key="hive", memory_bytes=900_000)
    written(tmp_path, old=change(hives()))
    with pytest.raises(nachsicht.UnreadableSourceError, match="while it was read"):
        made.document  # noqa: B018
