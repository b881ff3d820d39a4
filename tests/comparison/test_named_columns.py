"""Columns that settings name, where one version lacks them or has another kind."""

import numpy as np
import pandas as pd
import pytest

import nachsicht

RNG = np.random.default_rng(4)
N = 300
OLD = pd.DataFrame(
    {
        "hive": np.arange(N),
        "honey": RNG.gamma(4, 5, N).round(1),
        "temper": RNG.choice(["calm", "wild"], N),
        "day": pd.Timestamp("2024-01-01") + pd.to_timedelta(np.arange(N) // 3, "D"),
    }
)
NOTES = [f"seen {i} bees {RNG.integers(9)} at the gate of the garden" for i in range(N)]


@pytest.mark.parametrize(
    ("settings", "new", "form"),
    [
        ({"key": "hive"}, OLD.drop(columns="hive"), "key_gone"),
        ({"key": ["day", "hive"]}, OLD.drop(columns="hive"), "key_gone"),
        ({"outcome": "honey"}, OLD.drop(columns="honey"), "outcome_gone"),
        ({"outcome": "honey"}, OLD.assign(honey=NOTES), "outcome_kind"),
        ({"time_column": "day"}, OLD.drop(columns="day"), "time_column_gone"),
        ({"time_column": "day"}, OLD.assign(day=RNG.normal(size=N)), "time_column_kind"),
    ],
)
@pytest.mark.parametrize("turned", [False, True])
def test_it_is_a_finding_to_act_on_and_the_run_goes_on(settings, new, form, turned):
    versions = (new, OLD) if turned else (OLD, new)
    made = nachsicht.compare(*versions, labels=["one", "other"], **settings)
    (finding,) = (f for f in made.findings if f.code == "named_column_lost")
    assert (finding.severity, finding.form) == ("act", form)
    assert finding.evidence["without"] == ("one" if turned else "other")
    assert finding.title in made.to_html()
    # It is not told twice that the column is gone.
    assert not {f.code for f in made.findings} & {"removed", "added"}


def test_rows_are_matched_without_the_key_that_is_gone():
    old = OLD.assign(honey=RNG.normal(20, 4, N))
    rows = nachsicht.compare(old, old.drop(columns="hive")[9:], key="hive").document.rows[0]
    assert (rows.key, rows.removed, rows.unchanged) == ((), 9, N - 9)


def test_a_key_with_another_name_is_used():
    new = OLD.rename(columns={"hive": "hive_no"}).assign(honey=OLD.honey + 1)
    made = nachsicht.compare(OLD, new, key="hive_no")
    assert made.document.rows[0].key == ("hive_no",)
    assert made.document.rows[0].changed == N
    assert "named_column_lost" not in {f.code for f in made.findings}


@pytest.mark.parametrize("settings", [{"outcome": "day"}, {"time_column": "temper"}])
def test_what_no_version_has_as_such_is_refused(settings):
    with pytest.raises(nachsicht.SettingsError):
        nachsicht.compare(OLD, OLD, **settings).to_json()
    with pytest.raises(nachsicht.SettingsError):
        nachsicht.compare(OLD, OLD, key="hive_id").to_json()


def test_a_new_column_is_told_with_its_strongest_relation():
    new = OLD.assign(jars=OLD.honey * 2 + RNG.normal(0, 4, N), sky=RNG.choice(["clear", "dull"], N))
    made = nachsicht.compare(OLD, new, outcome="honey")
    added = {f.columns[0]: f.evidence for f in made.findings if f.code == "added"}
    assert added["jars"]["partner"] == "honey"
    expected = new.jars.corr(new.honey, method="spearman")
    assert added["jars"]["strength"] == pytest.approx(expected)
    assert "partner" not in added["sky"]
    told = nachsicht.compare(OLD, OLD.assign(late=OLD.honey * 2), outcome="honey").findings
    (leak,) = (f for f in told if f.code == "leakage_new")
    assert (leak.columns, leak.form) == (("late",), "added")
