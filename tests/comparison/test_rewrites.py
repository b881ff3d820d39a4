"""What was done to rewritten cells: planted in some rows, read off the pairs, told as it was."""

import numpy as np
import pandas as pd
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import nachsicht

RNG = np.random.default_rng(41)
N = 600
HIVES = pd.DataFrame(
    {
        "hive": np.arange(N) + 2000,
        "honey_kg": RNG.gamma(4, 5, N).round(1),
        "bees": RNG.integers(0, 70_000, N),
        "air_c": RNG.normal(12, 6, N).round(1),
        "yard": RNG.choice(["Grünau", "Mühlbach", "Tannwinkel"], N),
        "tag": [f"{i:05d}" for i in RNG.integers(0, 9999, N)],
        "seen_at": pd.Timestamp("2024-01-01")
        + pd.to_timedelta(RNG.integers(0, 300 * 1440, N), "min"),
        "born_on": pd.Timestamp("2024-01-01") + pd.to_timedelta(RNG.integers(0, 300, N), "D"),
    }
)
SOME = RNG.random(N) < 0.3
LOST = {"Grünau": "G1", "Mühlbach": "M2", "Tannwinkel": "T3"}


def exchanged(date):
    return date.replace(day=date.month, month=date.day) if date.day <= 12 else date


def garbled(text):
    return text.encode().decode("latin-1")


RULES = [
    ("honey_kg", lambda s: s + 2.5, "shifted", {"amount": 2.5}),
    ("honey_kg", lambda s: (s * 2.20462).round(1), "scaled", {"factor": 2.20462}),
    ("honey_kg", lambda s: s / 100, "decimal_point", {"factor": 0.01}),
    ("honey_kg", lambda s: s * RNG.choice([10, 100], N), "decimal_points", {}),
    ("air_c", lambda s: (s * 1.8 + 32).round(1), "affine", {"factor": 1.8, "offset": 32}),
    ("air_c", lambda s: -s, "sign_flipped", {}),
    ("bees", lambda s: (s + 2**15) % 2**16 - 2**15, "wrapped", {"bits": 16}),
    ("honey_kg", lambda s: s.round(), "rounded", {"step": 1}),
    ("honey_kg", np.trunc, "cut_off", {"step": 1}),
    ("honey_kg", lambda s: s * 0 - 99, "overwritten", {"value": "-99"}),
    ("honey_kg", lambda s: s.clip(upper=22), "capped", {"value": "22"}),
    ("air_c", lambda s: s.clip(lower=8), "floored", {"value": "8"}),
    ("honey_kg", lambda s: HIVES["air_c"], "other_column", {"from_column": "air_c"}),
    ("honey_kg", lambda s: s * np.nan, "emptied", {}),
    ("yard", lambda s: s.str.upper(), "case", {}),
    ("yard", lambda s: " " + s, "blanks", {}),
    ("yard", lambda s: s.map(garbled), "garbled", {}),
    ("yard", lambda s: s.str[:5], "truncated", {"length": 5}),
    ("yard", lambda s: s.str.replace("n", "m", n=1), "misspelt", {}),
    ("yard", lambda s: s.map(LOST), "mapped", {"levels": 3}),
    ("tag", lambda s: s.str.lstrip("0"), "leading_zeros", {}),
    ("born_on", lambda s: s - pd.Timedelta(days=1), "dates_shifted", {"amount": -1, "unit": "day"}),
    (
        "born_on",
        lambda s: s + pd.DateOffset(months=1),
        "dates_shifted",
        {"amount": 1, "unit": "month"},
    ),
    (
        "seen_at",
        lambda s: s + pd.Timedelta(hours=2),
        "dates_shifted",
        {"amount": 2, "unit": "hour"},
    ),
    ("born_on", lambda s: s.map(exchanged), "day_month_swapped", {}),
    ("seen_at", lambda s: s.dt.normalize(), "time_dropped", {}),
]


def rewritten(column, damage, where=SOME):
    new = HIVES.copy()
    new[column] = new[column].where(~where, damage(new[column]))
    differs = (new[column] != HIVES[column]).sum()
    # In another order, and among other rows: what counts is the key.
    comparison = nachsicht.compare(HIVES, new.sample(frac=1, random_state=1), key=["hive"])
    (cell,) = comparison.document.rows[0].changed_cells
    assert (cell.column, cell.rows) == (column, differs)
    return comparison, cell.rewrite


@pytest.mark.parametrize(("column", "damage", "rule", "facts"), RULES)
def test_the_rule_is_read_off_the_cells(column, damage, rule, facts):
    comparison, rewrite = rewritten(column, damage)
    assert rewrite.rule == rule
    assert rewrite.share > 0.97
    assert facts.items() <= rewrite.facts.items()
    told = [f for f in comparison.findings if f.columns[:1] == (column,)]
    assert {f.severity for f in told} <= {"act", "check"}
    assert len(told) == 1
    for language in ("en", "de"):
        with nachsicht.use_language(language):
            assert "{" not in told[0].title + told[0].sentence


def test_what_follows_no_rule_is_not_explained():
    comparison, rewrite = rewritten("honey_kg", lambda s: (s + RNG.normal(0, 3, N)).round(3))
    assert rewrite is None
    (finding,) = [f for f in comparison.findings if f.code == "values_changed"]
    assert "rewrite" not in finding.evidence


def test_a_rule_that_holds_for_most_says_for_how_many():
    def damage(values):
        return values.where(RNG.random(N) < 0.07, values + 4).where(RNG.random(N) < 0.95, 77.7)

    comparison, rewrite = rewritten("honey_kg", damage)
    assert rewrite.rule == "shifted"
    assert 0.9 < rewrite.share < 1
    (finding,) = [f for f in comparison.findings if f.columns == ("honey_kg",)]
    assert "most" in finding.title


@given(st.floats(-500, 500).map(lambda x: round(x, 2)).filter(bool), st.floats(0.05, 1))
@settings(max_examples=15, deadline=None)
def test_any_constant_is_read_exactly(amount, share):
    where = np.arange(N) < max(share * N, 3)
    _, rewrite = rewritten("honey_kg", lambda s: (s + amount).round(3), where)
    assert rewrite.rule == "shifted"
    assert rewrite.facts["amount"] == pytest.approx(amount, abs=1e-9)
    assert rewrite.rows == where.sum()


def test_cells_of_another_type_are_compared_as_texts():
    new = HIVES.assign(bees=HIVES["bees"].astype(str).where(~SOME, "many"))
    (cell,) = nachsicht.compare(HIVES, new, key=["hive"]).document.rows[0].changed_cells
    assert (cell.column, cell.rows) == ("bees", SOME.sum())
    assert (cell.rewrite.rule, cell.rewrite.facts) == ("overwritten", {"value": "many"})


@pytest.mark.parametrize("kind", ["string", "category"])
def test_values_that_changed_places_are_those_of_the_other_column(kind):
    old = HIVES.assign(town=HIVES["yard"].shift(7, fill_value="Grünau").astype(kind))
    old["yard"] = old["yard"].astype("string")
    new = old.copy()
    for one, other in (("yard", "town"), ("honey_kg", "bees")):
        new[one] = old[one].where(~SOME, old[other].astype(old[one].dtype))
        new[other] = old[other].astype(object).where(~SOME, old[one])
    new["town"] = new["town"].astype(kind)
    cells = nachsicht.compare(old, new, key=["hive"]).document.rows[0].changed_cells
    found = {cell.column: cell.rewrite.facts["from_column"] for cell in cells}
    assert found == {"yard": "town", "town": "yard", "honey_kg": "bees", "bees": "honey_kg"}
    assert {cell.rewrite.rule for cell in cells} == {"other_column"}
