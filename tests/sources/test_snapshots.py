"""Delta Lake and Iceberg tables, written by the packages that keep them."""

import importlib.util
import os
import subprocess
import sys
from datetime import UTC, datetime, timedelta

import pandas as pd
import pyarrow as pa
import pytest

import nachsicht
from nachsicht.errors import SourceError

pytestmark = pytest.mark.slow

deltalake = pytest.importorskip("deltalake")


def checks(mites, rows=60):
    """Inspections with so many mites each."""
    return pa.table(
        {
            "hive": [f"H-{i:03d}" for i in range(rows)],
            "mites": [mites + i % 3 for i in range(rows)],
            "yard": ["north", "south"] * (rows // 2),
        }
    )


@pytest.fixture(scope="module")
def delta(tmp_path_factory):
    """Written, overwritten, appended to, deleted from; and its files put together."""
    path = tmp_path_factory.mktemp("delta") / "checks"
    deltalake.write_deltalake(path, checks(0), partition_by=["yard"])
    deltalake.write_deltalake(path, checks(10), mode="overwrite")
    deltalake.write_deltalake(path, checks(20, rows=40), mode="append")
    table = deltalake.DeltaTable(path)
    table.delete("mites = 22")
    table.optimize.compact()
    return path


@pytest.fixture(scope="module")
def iceberg(tmp_path_factory):
    """A table in a catalogue of its own: written, overwritten, rows deleted."""
    from pyiceberg.catalog.sql import SqlCatalog

    folder = tmp_path_factory.mktemp("iceberg")
    catalogue = SqlCatalog("union", uri=f"sqlite:///{folder}/c.db", warehouse=f"file://{folder}")
    catalogue.create_namespace("union")
    table = catalogue.create_table("union.checks", schema=checks(0).schema)
    table.append(checks(0))
    table.overwrite(checks(10))
    table.delete("mites = 12")
    catalogue.close()
    return folder / "union" / "checks", table


def mites(made):
    summary = made.document.column("mites").stats
    return made.document.rows, summary.minimum, summary.maximum


def test_a_delta_table_is_read_as_it_is_and_not_as_the_files_that_lie_about(delta):
    made = nachsicht.profile(delta)
    frame = deltalake.DeltaTable(delta).to_pandas()
    assert mites(made) == (len(frame), frame.mites.min(), frame.mites.max())
    assert made.document.origin.format == "delta"
    # Of the part that a folder keeps in its name as well.
    assert made.document.column("yard").distinct == 2


def test_a_delta_table_is_read_as_it_was(delta):
    versions = {0: (60, 0, 2), 1: (60, 10, 12), 2: (100, 10, 22), 3: (87, 10, 21)}
    for number, expected in versions.items():
        made = nachsicht.profile(f"{delta}@{number}")
        assert mites(made) == expected
        assert made.label == f"v{number}"
    tomorrow = datetime.now(UTC).date() + timedelta(days=1)
    assert mites(nachsicht.profile(f"{delta}@{tomorrow}")) == versions[3]


def test_an_iceberg_table_is_read_as_it_is_and_was(iceberg):
    path, table = iceberg
    assert mites(nachsicht.profile(path)) == (40, 10, 11)
    first = table.history()[0]
    made = nachsicht.profile(f"{path}@{first.snapshot_id}")
    assert mites(made) == (60, 0, 2)
    written = datetime.fromtimestamp(first.timestamp_ms / 1000, UTC)
    assert made.label == f"{written:%Y-%m-%d %H:%M:%S}"
    assert made.document.origin.moment == written.replace(tzinfo=None).isoformat()


def test_a_table_is_read_in_pieces_as_in_memory(delta, iceberg):
    for path in (delta, iceberg[0]):
        whole, pieces = (nachsicht.profile(path, memory_bytes=n) for n in (10**9, 1_000))
        assert whole.summary.to_frame().equals(pieces.summary.to_frame())


def test_versions_since_one_are_those_that_changed_rows(delta, iceberg):
    from nachsicht.sources.versions.since import versions_since

    assert versions_since(delta, "1") == [f"{delta}@{n}" for n in (1, 2, 3)]
    path, table = iceberg
    first, _, written, deleted = (entry.snapshot_id for entry in table.history())
    # To overwrite takes two snapshots; the empty one between was never a version.
    assert versions_since(path, str(first)) == [f"{path}@{n}" for n in (first, written, deleted)]


def test_the_command_compares_the_snapshots_of_a_table(delta):
    command = [sys.executable, "-m", "nachsicht", "compare", delta, "--since", "0"]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    assert "v0 → … → v3" in done.stdout
    assert "v2  100 rows" in done.stdout
    again = subprocess.run([*command[:-1], "9"], capture_output=True, text=True, check=False)
    assert again.returncode == 2
    assert "the table has no snapshot 9" in again.stderr


def test_snapshots_of_many_days_are_a_history_in_their_order(tmp_path):
    path = tmp_path / "scales"
    for day in range(6):
        frame = pd.DataFrame(
            {"scale": range(40), "weight": [30.0 + day + i % 7 for i in range(40)]}
        )
        deltalake.write_deltalake(path, frame, mode="overwrite")
        when = datetime(2025, 5, 1 + day, tzinfo=UTC).timestamp()
        log = path / "_delta_log" / f"{day:020d}.json"
        text = log.read_text()
        stamp = str(deltalake.DeltaTable(path).history(1)[0]["timestamp"])
        log.write_text(text.replace(stamp, str(int(when * 1000))))
        os.utime(log, (when, when))
    history = nachsicht.History(tmp_path / "history")
    for day in (3, 0, 5, 1, 4, 2):
        history.record(f"{path}@{day}")
    assert [version.label for version in history] == [f"v{day}" for day in range(6)]
    assert [version.moment[:10] for version in history][::5] == ["2025-05-01", "2025-05-06"]
    assert {version.moment_source for version in history} == {"source"}


@pytest.mark.parametrize("asked", ["77", "1999-01-01", "yesterday"])
def test_a_snapshot_that_is_not_there_is_named_with_those_that_are(delta, asked):
    with pytest.raises(SourceError, match=rf"no snapshot {asked}.*3 \(20"):
        nachsicht.profile(f"{delta}@{asked}").document  # noqa: B018


def test_without_the_package_it_is_said_how_to_install_it(delta, iceberg, monkeypatch):
    monkeypatch.setattr(importlib.util, "find_spec", lambda name: None)
    for path, extra in ((delta, "delta"), (iceberg[0], "iceberg")):
        with pytest.raises(SourceError, match=rf"pip install 'nachsicht\[{extra}\]'"):
            nachsicht.profile(path).document  # noqa: B018


def test_a_table_whose_log_is_damaged_is_no_folder_of_loose_files(tmp_path):
    path = tmp_path / "checks"
    deltalake.write_deltalake(path, checks(0))
    (path / "_delta_log" / f"{0:020d}.json").write_text("{")
    with pytest.raises(SourceError, match="Delta Lake table cannot be read"):
        nachsicht.profile(path).document  # noqa: B018
