"""Rows that came and went between stored profiles: within their bounds, from the keys' hashes."""

import numpy as np
import pyarrow as pa
import pytest

import nachsicht
from nachsicht.columns.accumulate import finish_column, observe_column
from nachsicht.comparison.rows.estimate import estimated_rows
from nachsicht.config.settings import Settings
from nachsicht.model.kinds import Kind

N = 40_000


def version(ids, named):
    rng = np.random.default_rng(2)
    tags = pa.array([f"H-{i:06d}" for i in ids]) if named else pa.array(ids)
    return pa.table({"hive": tags, "frames": rng.integers(4, 20, len(ids))})


def estimate(old, new, folder, **options):
    stored = []
    for name, table in (("old", old), ("new", new)):
        made = nachsicht.profile(table, label=name, kinds={"hive": "identifier"}, **options)
        stored.append(made.write(folder / f"{name}.json") or folder / f"{name}.json")
    compared = nachsicht.compare(*stored)
    assert compared.document.rows == ()
    (found,) = compared.document.row_estimates
    return found, compared


@pytest.mark.parametrize("named", [True, False], ids=["texts", "numbers"])
@pytest.mark.parametrize("memory", [1 << 33, 300_000], ids=["in memory", "in pieces"])
def test_rows_are_estimated_from_stored_profiles(named, memory, tmp_path):
    ids = np.random.default_rng(7).permutation(10 * N)
    versions = version(ids[:N], named), version(ids[4_000 : N + 8_000], named)
    found, made = estimate(*versions, tmp_path, memory_bytes=memory)
    assert abs(found.added - 8_000) <= 1.5 * found.uncertainty
    assert abs(found.removed - 4_000) <= 1.5 * found.uncertainty
    assert 0 < found.uncertainty < 0.06 * N
    assert "Estimated from stored profiles by hive" in made.to_markdown()


@pytest.mark.parametrize("share", [0.1, 0.5])
def test_the_truth_lies_within_two_errors_in_nineteen_of_twenty_cases(share):
    settings, n, within = Settings(kinds={"hive": Kind.IDENTIFIER}), 30_000, 0
    for seed in range(40):
        ids = np.random.default_rng(seed).permutation(3 * n)
        gone = int(share * n)
        old, new = (
            finish_column(observe_column(pa.array(part)), "hive", 0, settings)
            for part in (ids[:n], ids[gone : n + gone])
        )
        found = estimated_rows([(old, new)], [(0, 0)], (0, 1), (n, n))
        within += abs(found.removed - gone) <= found.uncertainty
    assert 0.85 * 40 <= within < 40


def test_few_values_are_known_exactly(tmp_path):
    ids = np.arange(1_000)
    found, made = estimate(version(ids, True), version(ids[30:] + 10, True), tmp_path)
    assert (found.added, found.removed, found.uncertainty) == (10, 40, 0)
    assert "From stored profiles by hive: 10 rows added, 40 removed" in made.to_markdown()


def test_data_beside_a_profile_is_estimated_too_and_without_a_key_nothing_is(tmp_path):
    ids = np.arange(600)
    nachsicht.profile(version(ids, True)).write(tmp_path / "old.json")
    made = nachsicht.compare(tmp_path / "old.json", version(ids[:-7], True))
    assert made.document.row_estimates[0].removed == 7
    frames = version(ids, True).select(["frames"])
    nachsicht.profile(frames).write(tmp_path / "frames.json")
    made = nachsicht.compare(tmp_path / "frames.json", frames)
    assert made.document.row_estimates == ()
    assert "Rows were not compared" in made.to_markdown()
