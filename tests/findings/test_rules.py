"""What is said of one version, and that what follows from a kind is not said."""

from pathlib import Path

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest

import nachsicht
from nachsicht.findings.registry import FINDINGS
from nachsicht.i18n import catalogue
from nachsicht.output.findings_reference import catalogue_page
from nachsicht.output.html.payload.evidence import INTERNAL
from nachsicht.stats.round_numbers import multiples_of
from nachsicht.stats.sorted_array import SortedNumbers

RNG = np.random.default_rng(31)
N = 2000
PLAIN = np.round(RNG.normal(50, 9, N), 2)


def found(**columns):
    page = nachsicht.profile(pa.table(columns), **columns.pop("options", {}))
    return {(f.code, f.columns[0] if f.columns else "") for f in page.findings}


def test_an_ordinary_table_gives_nothing():
    frame = pd.DataFrame(
        {
            "id": [f"B{i:05d}" for i in RNG.permutation(N)],
            "weight": PLAIN,
            "kind": RNG.choice(["oak", "fir"], N),
            "day": pd.Timestamp("2024-01-01") + pd.to_timedelta(RNG.integers(0, 300, N), "D"),
        }
    )
    assert nachsicht.profile(frame).findings == ()


@pytest.mark.parametrize(
    ("code", "values"),
    [
        ("nearly_constant", np.where(np.arange(N) < 6, "x", "y")),
        ("imbalance", RNG.choice(["yes", "no"], N, p=[0.95, 0.05])),
        ("skewed", RNG.lognormal(0, 2, N)),
        ("zeros", np.where(RNG.random(N) < 0.5, 0, PLAIN)),
        ("outliers", np.where(RNG.random(N) < 0.05, PLAIN * 9, PLAIN)),
        ("infinite_values", np.where(RNG.random(N) < 0.01, np.inf, PLAIN)),
        ("identifier_repeats", [f"K{max(i, 3):06d}" for i in range(N)]),
        ("garbled_text", np.where(np.arange(N) % 9 == 0, "MÃ¼hle am Bach", "Haus am See")),
        ("mixed_types", [f"{v}" if i % 9 else f"about {i}" for i, v in enumerate(PLAIN)]),
        ("blank", [" " * 3 if i % 5 == 0 else f"bees of hive {i} fly" for i in range(N)]),
        ("sentinel_value", np.where(RNG.random(N) < 0.02, "n/a", RNG.choice(["a", "b", "c"], N))),
        (
            "future_dates",
            pd.Timestamp("2023-01-01") + pd.to_timedelta(RNG.integers(0, 9, N) ** 4, "D"),
        ),
    ],
)
def test_each_oddity_is_told(code, values):
    array = pa.array(values)
    assert (code, "odd") in found(odd=array, weight=PLAIN)


def test_columns_that_move_together_are_one_finding():
    noise = RNG.normal(0, 0.5, (3, N))
    page = nachsicht.profile(
        pa.table({"a": PLAIN, "b": PLAIN + noise[0], "c": -PLAIN + noise[1], "d": noise[2]})
    )
    assert [(f.code, f.columns) for f in page.findings] == [("collinear", ("a", "b", "c"))]


def test_a_column_that_gives_the_outcome_away_is_told_when_the_outcome_is():
    outcome = RNG.choice(["lived", "died"], N)
    table = pa.table({"outcome": outcome, "late": np.char.add("code ", outcome), "w": PLAIN})
    assert nachsicht.profile(table).findings == ()
    codes = [(f.code, f.columns) for f in nachsicht.profile(table, outcome="outcome").findings]
    assert codes == [("leakage", ("late",))]


def test_limits_by_code_change_the_weight_or_leave_a_finding_out():
    gaps = pa.table({"w": pa.array(PLAIN, mask=RNG.random(N) < 0.2)})
    weights = {
        name: [
            f.severity
            for f in nachsicht.profile(gaps, findings={"missing_values": limits}).findings
        ]
        for name, limits in (("usual", {}), ("strict", {"act": 0.1}), ("off", {"off": True}))
    }
    assert weights == {"usual": ["note"], "strict": ["act"], "off": []}


@pytest.mark.parametrize("entry", FINDINGS.values(), ids=lambda entry: entry.code)
def test_every_code_has_its_words_and_a_rule(entry):
    words = catalogue()["findings"][entry.code]
    assert "next_step" in words
    assert all(any(name.startswith(p) for name in words) for p in ("title", "sentence"))
    limits = [limit for limit in (entry.note, entry.check, entry.act) if limit is not None]
    assert limits
    assert limits == sorted(limits)


@pytest.mark.parametrize("decimals", [0, 1, 2, None])
def test_multiples_are_counted_as_pandas_would(decimals):
    values = RNG.normal(200, 120, 4000)
    values = np.sort(values if decimals is None else np.round(values, decimals))
    values = values.astype(np.int64) if decimals == 0 else values
    for step, count in ((m.value, m.count) for m in multiples_of(SortedNumbers(values), decimals)):
        scaled = np.round(values * 10 ** (decimals or 2), 6)
        whole = np.round(step * 10 ** (decimals or 2)) if decimals != 0 else step
        expected = (np.abs(np.mod(scaled if decimals != 0 else values, whole)) < 1e-9).sum()
        assert count == expected, step


def test_spreads_by_level_are_those_of_pandas():
    kind = RNG.choice(["oak", "fir", "elm"], N)
    frame = pd.DataFrame({"w": np.where(RNG.random(N) < 0.1, np.nan, PLAIN), "kind": kind})
    (table,) = nachsicht.profile(frame).document.group_stats
    expected = frame.groupby("kind")["w"].agg(["count", "mean", "std"])
    assert table.levels == tuple(expected.index)
    assert table.rows == tuple(expected["count"])
    assert table.means == pytest.approx(expected["mean"].to_numpy(), rel=1e-12)
    assert table.stds == pytest.approx(expected["std"].to_numpy(), rel=1e-12)


def test_the_list_of_findings_in_the_docs_is_that_of_the_catalogue():
    page = Path(__file__).parents[2] / "docs" / "findings.md"
    assert page.read_text() == catalogue_page(), "run: make findings"


def test_every_fact_of_a_finding_has_a_word():
    named = {*catalogue()["evidence"], *INTERNAL}
    for entry in FINDINGS.values():
        assert set(entry.evidence.split()) <= named, entry.code


def test_every_measure_and_statistic_has_a_definition():
    words = catalogue()
    told = {"explains_forth", "explains_back"}  # both are told under "explains"
    for part in ("measures", "statistics"):
        assert set(words[part]) - told <= set(words["definitions"])


def test_numbers_that_differ_by_a_sign_names_with_digits_and_years_are_no_findings():
    n = 600
    frame = pd.DataFrame(
        {
            "change": [("0.1", "-0.1", "rest", "0.10")[i % 4] for i in range(n)],
            "place": [("1st", "2nd", "3rd", "last")[i % 4] for i in range(n)],
            "since": pd.to_datetime([f"{1900 + i % 90}-01-01" for i in range(n)]),
        }
    )
    codes = {(f.code, *f.columns) for f in nachsicht.profile(frame).findings}
    assert not codes & {
        ("similar_levels", "change"),
        ("mixed_types", "place"),
        ("sentinel_value", "since"),
    }
    dated = frame.assign(since=pd.to_datetime("2024-03-05") + pd.to_timedelta(range(n), "D"))
    dated.loc[::20, "since"] = pd.Timestamp("1900-01-01")
    assert ("sentinel_value", "since") in {
        (f.code, *f.columns) for f in nachsicht.profile(dated).findings
    }
