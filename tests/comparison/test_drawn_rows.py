"""Versions that are read in pieces keep their drawn rows: relations are compared as in memory."""

import numpy as np
import pandas as pd

import nachsicht

N = 8_000  # no more than are drawn


def deliveries(seed, slope):
    rng = np.random.default_rng(seed)
    weight = rng.normal(size=N)
    return pd.DataFrame(
        {
            "weight": weight,
            "honey": slope * weight + rng.normal(size=N),
            "frames": rng.normal(size=N),
            "yard": rng.choice(["Grünau", "Mühlbach", "Tannwinkel"], N),
        }
    )


def test_relations_components_and_pairs_are_those_of_memory():
    versions = deliveries(1, 1.0), deliveries(2, 0.0)
    expected = nachsicht.compare(*versions).document
    found = nachsicht.compare(*versions, memory_bytes=100_000).document
    assert any(column.error_bounds for column in found.versions[0].columns)  # in pieces
    assert {(change.x, change.y) for change in expected.relations} == {("weight", "honey")}
    assert found.relations == expected.relations
    assert len(expected.pca_scores) == 2
    assert (found.components, found.pca_scores) == (expected.components, expected.pca_scores)
    for one, other in zip(found.versions, expected.versions, strict=True):
        assert one.pairs == other.pairs
