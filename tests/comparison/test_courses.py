"""The courses of columns along many versions of known truth."""

import math
import re
from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import nachsicht
from nachsicht.comparison.courses.course import courses_of
from nachsicht.comparison.courses.followed import followed_of, read_followed
from nachsicht.model.codec import read_document
from nachsicht.model.findings import Severity
from nachsicht.tables.courses import CoursesPart, sentence_of, strip_of

pytestmark = pytest.mark.slow

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
        ("keeper", "share", "jump", "w25", "w39"),
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
    assert happened["keeper"].level in ("Ada", "Cem")
    assert happened["keeper"].before == pytest.approx(1 / 3, abs=0.02)
    assert happened["keeper"].after == pytest.approx(
        2 / 3 * (happened["keeper"].level == "Ada"), abs=0.02
    )
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
    assert len(found.columns) == 6
    events = {e.column: e for e in found.happened if e.column in ("weight", "traffic")}
    assert set(events) == {"weight", "traffic"}
    # Numbers in texts are numbers, but stored otherwise.
    stored = events["traffic"]
    assert (stored.statistic, stored.form, stored.first) == ("dtype", "spike", "w03")
    assert sentence_of([stored]) == (
        "traffic: the stored type was string in w03 alone, and int otherwise."
    )
    assert (events["weight"].form, events["weight"].first) == ("jump", "w06")
    assert (events["weight"].before, events["weight"].after) == ("absent", "quantity")
    assert sentence_of([events["weight"]]) == "weight: the column is there since w06."
    (course,) = [column for column in found.columns if column.name == "weight"]
    assert np.isnan(course.missing[:6]).all()
    assert np.isfinite(course.missing[6:]).all()


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
    assert len(found.columns) == 7
    assert {(e.column, e.statistic, e.form, e.first) for e in found.happened} == {
        ("", "rows", "spike", "w04"),
        ("always", "kind", "spike", "w05"),
    }


def test_rare_levels_and_unsettled_kinds_are_no_trouble_and_a_gone_column_is():
    def version(n):
        rng = np.random.default_rng([11, n])
        rows = int(rng.integers(80, 800))
        frame = pd.DataFrame(
            {
                "rare": rng.choice(list("abcdef"), rows, p=[0.5, 0.3, 0.15, 0.04, 0.008, 0.002]),
                "code": [f"x{code}" for code in rng.integers(0, 5000, rows)],
                "zeros": np.where(rng.random(rows) < 0.7, 0, rng.gamma(2, 2, rows).round(1)),
                "mixed": rng.integers(0, 40, rows) if n % 2 else rng.choice(["p", "q"], rows),
            }
        )
        return frame.drop(columns="mixed") if n == 17 else frame

    (only,) = courses_of([kept(version(n), n) for n in range(24)]).happened
    assert (only.column, only.first, only.after) == ("mixed", "w17", "absent")
    assert sentence_of([only]) == "mixed: the column was gone in w17 alone."


def test_what_happens_to_many_columns_at_once_is_one_thing():
    def version(n):
        rng = np.random.default_rng([7, n])
        moved = 9 * (n >= 20)
        return pd.DataFrame(
            {name: rng.normal(50 + moved * (name != "d"), 3, 200).round(1) for name in "abcd"}
        )

    found = courses_of([kept(version(n), n) for n in range(30)])
    assert len(found.happened) == 3
    (group,) = found.together
    assert sorted(each.column for each in group) == ["a", "b", "c"]
    assert sentence_of(group) == "Three columns changed with w20, and stayed: a, b, c"
    assert (found.open(Severity.ACT, newest=False), found.steady) == (1, 1)


def test_a_change_that_stayed_is_explained_by_what_is_before_and_since():
    def version(n):
        rng = np.random.default_rng([8, n])
        since = n >= 20
        return pd.DataFrame(
            {
                "weighed": (rng.gamma(9, 4, 600) * (2.20462 if since else 1)).round(2),
                "moved": (rng.normal(50, 8, 600) - 7 * since).round(2),
                "yard": rng.choice(["Klee-Hof" if since else "Kleehof", "Moor", "Au"], 600),
                "wider": rng.normal(0, 1 + 2 * since, 600).round(3),
            }
        )

    found = courses_of([kept(version(n), n) for n in range(30)])
    causes = {each.column: each.cause for each in found.happened}
    assert causes["weighed"].rule == "rescaled"
    assert causes["weighed"].amount == pytest.approx(2.20462, rel=0.02)
    assert causes["moved"].rule == "shifted"
    assert causes["moved"].amount == pytest.approx(-7, abs=0.5)
    assert (causes["yard"].old_level, causes["yard"].new_level) == ("Kleehof", "Klee-Hof")
    assert causes["wider"] is None or causes["wider"].amount == pytest.approx(3, rel=0.1)
    said = {each.column: sentence_of([each]) for each in found.happened}
    assert said["yard"] == "yard: “Kleehof” is called “Klee-Hof” since w20."
    assert re.fullmatch(r"moved: all values are about [67]\S* lower since w20\.", said["moved"])


def test_the_verdict_speaks_of_the_newest_version_first(profiles, happened):
    assert happened["weight"].severity is Severity.ACT
    assert happened["humidity"].severity is Severity.CHECK  # it came back
    assert happened["weather"].severity is Severity.NOTE
    calm = CoursesPart(courses_of(profiles))
    assert calm.headline == "w39 is like the versions before it."
    assert "steady" in calm.detail
    worse = week(WEEKS)
    worse["humidity"] *= 1.4
    part = CoursesPart(courses_of([*profiles, kept(worse, WEEKS)]))
    assert part.headline == ("One thing in w40 needs action, compared with the versions before it.")


def test_every_version_is_as_unusual_as_it_is_far_from_those_before(profiles):
    columns = {column.name: column for column in courses_of(profiles).columns}
    jumped = columns["weight"].unusual
    assert jumped[30] >= 5
    assert max(jumped[31:]) <= 3  # the new level is what is usual now
    assert columns["humidity"].unusual[17] >= 5
    drifting = columns["battery"].unusual
    assert np.mean(drifting[30:]) > np.mean(drifting[5:12]) + 3
    seasonal = columns["weather"].unusual
    assert np.mean(seasonal[10:]) < 1
    assert all(column.unusual[0] == -1 for column in columns.values())


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


def test_what_a_season_does_not_explain_is_told_beside_it():
    def version(n):
        rng = np.random.default_rng([21, n])
        weight = rng.normal(40 + 3 * np.sin(n / 7 * 2 * np.pi), 2, 300).round(2 if n < 30 else 0)
        return pd.DataFrame({"weight": weight, "scale": rng.choice(["a", "b"], 300)})

    happened = courses_of([kept(version(n), n) for n in range(42)]).happened
    assert {(e.statistic, e.form, e.first) for e in happened} >= {
        ("median", "season", "w00"),
        ("decimals", "jump", "w30"),
    }


def test_names_that_every_version_has_anew_are_no_levels_to_follow():
    versions = [
        kept(
            pd.DataFrame({"batch": [f"{n}-{i % 8}" for i in range(80)], "yard": ["A", "B"] * 40}), n
        )
        for n in range(8)
    ]
    found = courses_of(versions)
    assert {column.name: [*column.shares] for column in found.columns} == {
        "batch": [],
        "yard": ["A", "B"],
    }
    assert not found.happened


def test_whole_numbers_are_not_stored_otherwise_where_one_is_missing():
    weeks = [week(n) for n in range(9)]
    weeks[4]["traffic"] = weeks[4]["traffic"].where(weeks[4].index > 0)
    assert {str(frame["traffic"].dtype) for frame in weeks} == {"int64", "float64"}
    found = courses_of([kept(frame, n) for n, frame in enumerate(weeks)])
    assert [e for e in found.happened if e.column == "traffic"] == []


def test_two_jumps_are_not_told_as_a_drift():
    weeks = [
        week(n).assign(weight=lambda f, n=n: f.weight + 20 * (n >= 8) + 30 * (n >= 16))
        for n in range(24)
    ]
    found = courses_of([kept(frame, n) for n, frame in enumerate(weeks)])
    assert {(e.form, e.first) for e in found.happened if e.column == "weight"} == {
        ("jump", "w08"),
        ("jump", "w16"),
    }


@pytest.mark.parametrize(("part", "by"), [(0.15, 25.0), (0.0, 1.5)], ids=["tail", "all"])
def test_tails_that_move_the_median_along_are_told_as_such(part, by):
    def weights(number):
        rng = np.random.default_rng([4, number])
        values = rng.normal(40, 5, 900)
        if number >= 40:
            values += by * (rng.random(900) < part if part else 1)
        return pd.DataFrame({"weight": values.round(2)})

    happened = courses_of([kept(weights(n), n) for n in range(90)]).happened
    (told,) = (each for each in happened if each.column == "weight")
    assert (told.form, told.first) == ("jump", "w40")
    assert told.statistic == ("interdecile_range" if part else "median")
