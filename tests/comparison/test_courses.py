"""The courses of columns along many versions of known truth."""

import math
from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import nachsicht
from nachsicht.comparison.courses import courses_of
from nachsicht.comparison.followed import followed_of, read_followed
from nachsicht.model.codec import read_document
from nachsicht.tables.courses import strip_of

WEEKS = 40
FORMER = Path(__file__).parents[1] / "model" / "format_1"


def week(number, rows=300):
    """Readings of hive scales: a jump, a drift, a bad week, a level that goes, and a season."""
    rng = np.random.default_rng([9, number])
    season = 0.15 * np.sin(number / 8 * 2 * np.pi)
    shares = {"sun": 0.4 + season, "rain": 0.4 - season, "fog": 0.2}
    frame = pd.DataFrame(
        {
            "weight": rng.normal(40 + 6 * (number >= 30), 4, rows).round(2),
            "battery": rng.normal(4.1 - 0.01 * max(number - 10, 0), 0.08, rows).round(3),
            "humidity": rng.normal(60, 5, rows).round(1),
            "weather": rng.choice([*shares], rows, p=[*shares.values()]),
            "keeper": rng.choice(["Ada", "Ben", "Cem" if number < 25 else "Ada"], rows),
            "traffic": rng.poisson(3, rows),
        }
    )
    if number == 17:
        frame.loc[rng.random(rows) < 0.25, "humidity"] = np.nan
    return frame


def kept(frame, n):
    return followed_of(nachsicht.profile(frame, label=f"w{n:02d}").document)


@pytest.fixture(scope="module")
def profiles():
    return [kept(week(n), n) for n in range(WEEKS)]


@pytest.fixture(scope="module")
def happened(profiles):
    """What is told, by its column: of each but one thing."""
    found = courses_of(profiles).happened
    assert len({each.column for each in found}) == len(found)
    return {each.column: each for each in found}


@pytest.mark.parametrize(
    ("column", "statistic", "form", "first", "last"),
    [
        ("weight", "median", "jump", "w30", "w39"),
        ("humidity", "missing_share", "spike", "w17", "w17"),
        ("keeper", "distinct", "jump", "w25", "w39"),
        ("weather", "share", "season", "w00", "w39"),
    ],
)
def test_what_was_planted_is_told_where_it_was(happened, column, statistic, form, first, last):
    found = happened[column]
    assert (found.statistic, found.form, found.first, found.last) == (statistic, form, first, last)


def test_a_drift_is_told_that_no_single_step_shows(happened):
    found = happened["battery"]
    assert found.form == "drift"
    assert abs(int(found.first[1:]) - 10) <= 4
    assert found.before == pytest.approx(4.1, abs=0.02)
    assert found.after == pytest.approx(4.1 - 0.01 * 29, abs=0.02)


def test_numbers_before_and_after_are_those_of_the_rows(happened):
    found = happened["weight"]
    medians = [week(n).weight.median() for n in range(WEEKS)]
    assert found.before == pytest.approx(np.mean(medians[:30]), abs=0.2)
    assert found.after == pytest.approx(np.mean(medians[30:]), abs=0.2)
    assert (happened["keeper"].before, happened["keeper"].after) == (3, 2)
    assert happened["weather"].period == pytest.approx(8, rel=0.02)


def test_nothing_else_is_told(happened):
    assert {*happened} == {"weight", "battery", "humidity", "weather", "keeper"}


def test_of_steady_histories_hardly_any_tells_anything():
    telling = 0
    for seed in range(12):
        rng = np.random.default_rng([4, seed])
        steady = [
            kept(
                pd.DataFrame(
                    {
                        "weight": rng.normal(40, 4, 200).round(1),
                        "frames": rng.poisson(5, 200),
                        "keeper": rng.choice(["Ada", "Ben"], 200),
                    }
                ),
                n,
            )
            for n in range(12)
        ]
        telling += bool(courses_of(steady).happened)
    assert telling <= 1


def test_a_column_that_comes_late_or_is_of_another_kind_is_followed_where_it_is(profiles):
    late = [
        kept(
            week(n)
            .drop(columns=[] if n > 5 else ["weight"])
            .assign(traffic=lambda f, n=n: f.traffic.astype(str) if n == 3 else f.traffic),
            n,
        )
        for n in range(14)
    ]
    found = courses_of(late)
    assert found.columns == 6
    assert not [each for each in found.happened if each.column in ("weight", "traffic")]


@pytest.mark.filterwarnings("error")
def test_columns_without_values_versions_without_rows_and_constants_are_no_trouble():
    def version(n):
        frame = pd.DataFrame(
            {
                "none": [None] * 30,
                "missing": [np.nan] * 30,
                "zero": np.zeros(30),
                "always": np.full(30, 2.5),
                "yard": ["Kleehof"] * 30,
                "day": pd.date_range("2025-01-01", periods=30),
                "seen": [True] * 30,
            }
        )
        return frame[:0] if n == 4 else frame.drop(columns="always") if n == 5 else frame

    found = courses_of([kept(version(n), n) for n in range(9)])
    assert found.columns == 7
    (only,) = found.happened
    assert (only.column, only.statistic, only.form, only.first) == ("", "rows", "spike", "w04")


def test_a_strip_shows_the_course_with_the_newest_last():
    assert strip_of(range(8)) == "▁▂▃▄▅▆▇█"
    assert strip_of([2.0] * 3) == "▁▁▁"
    assert strip_of([1.0, math.nan, 3.0]) == "▁ █"
    assert strip_of([0.0] * 300 + [5.0] * 100) == "▁" * 15 + "█" * 5
    assert strip_of([math.nan] * 2) == "  "


@pytest.mark.parametrize("path", sorted(FORMER.glob("*profile*")), ids=lambda path: path.name)
def test_documents_of_the_former_format_are_followed_as_well(path):
    document = read_document(path)
    followed = read_followed(path)
    assert followed == followed_of(document)
    for column, kept_of_it in zip(document.columns, followed.columns, strict=True):
        assert (column.missing, column.distinct) == (kept_of_it.missing, kept_of_it.distinct)
        median = getattr(column.stats, "median", None)
        assert kept_of_it.quantile(0.5) == (median if column.kind == "quantity" else None)
