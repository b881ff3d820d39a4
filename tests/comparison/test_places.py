"""Where a column changed, of versions that have no row in common, and what happened there."""

import numpy as np
import pandas as pd
import pytest

import nachsicht

N = 4000


def deliveries():
    made = []
    for seed in (1, 2):
        rng = np.random.default_rng(seed)
        day = pd.Timestamp("2025-01-01") + pd.to_timedelta(rng.integers(0, 365, N), "D")
        made.append(
            pd.DataFrame(
                {
                    "honey": rng.gamma(6, 3, N).round(2),
                    "yard": rng.choice(["Grünau", "Mühlbach", "Tannwinkel", "Überlahn"], N),
                    "frames": rng.integers(1, 60, N),
                    "day": day,
                    "race": rng.choice(["carnica", "buckfast", "ligustica"], N),
                }
            )
        )
    return made


OLD, NEW = deliveries()
WHERE = {
    "level": (NEW.yard == "Mühlbach", {"where_by": ("yard",), "where_level": ("Mühlbach",)}),
    "range": (NEW.frames.between(20, 34), {"where_by": ("frames",), "where_level": (None,)}),
    "time": (NEW.day.between("2025-03-10", "2025-05-01"), {"where_by": ("day",)}),
    "both": (
        (NEW.yard == "Grünau") & NEW.frames.between(10, 40),
        {"where_by": ("yard", "frames"), "where_level": ("Grünau", None)},
    ),
}
CHANGES = {
    "shifted": ("honey", lambda t: t.honey + 20, {"shift": 20}),
    "rescaled": ("honey", lambda t: t.honey * 100, {"factor": 100}),
    "became_constant": ("race", lambda _: "carnica", {"value": "carnica"}),
    "missing_increased": ("race", lambda _: None, {}),
}


def said(column, new, **options):
    made = nachsicht.compare(OLD, new, **options)
    return [f for f in made.findings if f.columns == (column,)]


def test_of_many_rows_that_are_read_in_pieces_the_drawn_ones_tell():
    old, new = (pd.concat([side] * 4, ignore_index=True) for side in (OLD, NEW))
    rng = np.random.default_rng(3)
    for side in (old, new):  # no row is in both
        side["honey"] += rng.uniform(0, 0.01, len(side)).round(6)
    where = new.yard == "Mühlbach"
    new["honey"] = new.honey.where(~where, new.honey + 20)
    made = nachsicht.compare(old, new, memory_bytes=300_000)
    assert made.document.versions[1].relations.sampled_rows < made.document.versions[1].rows
    (finding,) = [f for f in made.findings if f.code == "shifted"]
    assert finding.evidence["where_level"] == ("Mühlbach",)
    assert finding.evidence["shift"] == pytest.approx(20, rel=0.1)
    assert finding.evidence["where_only"] == pytest.approx(where.sum(), rel=0.1)


@pytest.mark.parametrize(
    "memory_bytes",
    [
        pytest.param(0, id="in memory"),
        pytest.param(100_000, id="in pieces", marks=pytest.mark.slow),
    ],
)
@pytest.mark.parametrize("place", WHERE)
@pytest.mark.parametrize("code", CHANGES)
def test_the_place_and_the_cause_there_are_told(code, place, memory_bytes):
    where, conditions = WHERE[place]
    column, change, facts = CHANGES[code]
    new = NEW.assign(**{column: NEW[column].where(~where, change(NEW))})
    (finding,) = [f for f in said(column, new, memory_bytes=memory_bytes) if f.code == code]
    for name, fact in conditions.items():
        assert tuple(finding.evidence[name]) == fact
    for name, fact in facts.items():
        said_fact = finding.evidence[name]
        assert said_fact == (fact if isinstance(fact, str) else pytest.approx(fact, rel=0.1))
    assert finding.evidence["where_share"] == pytest.approx(where.mean(), abs=0.03)
    ends = {"range": ("20", "34"), "time": ("2025-03-10", "2025-05-01")}.get(place)
    if ends:
        for end, name in zip(ends, ("where_first", "where_last"), strict=True):
            (told,) = finding.evidence[name]
            kind = pd.Timestamp if place == "time" else int
            slack = pd.Timedelta(days=6) if place == "time" else 1
            assert abs(kind(told) - kind(end)) <= slack
    assert ("where" in finding.title) == (code != "missing_increased")


def test_what_changed_everywhere_has_no_place():
    everywhere = NEW.assign(honey=NEW.honey * 100)
    scattered = NEW.assign(honey=NEW.honey.where(np.arange(N) % 3 > 0, NEW.honey + 20))
    for new in (everywhere, scattered):
        found = said("honey", new)
        assert found
        assert not any("where_by" in finding.evidence for finding in found)


def test_remedies_of_a_part_are_not_those_of_the_whole():
    where, _ = WHERE["level"]
    new = NEW.assign(honey=NEW.honey.where(~where, NEW.honey * 100))
    assert "rescaled" not in nachsicht.compare(OLD, new).remedies()
    assert "rescaled" in nachsicht.compare(OLD, NEW.assign(honey=NEW.honey * 100)).remedies()
