"""Dates between two versions: the calendar's shares, parts of the rows, periods that move on."""

import numpy as np
import pandas as pd
import pytest

import nachsicht

DAY, HOUR = pd.Timedelta(days=1), pd.Timedelta(hours=1)


def checks(seed, rows=3000, start="2024-01-01", days=730, weekends=False):
    """Checks of hives in the middle of working days."""
    rng = np.random.default_rng(seed)
    days_of = pd.Timestamp(start) + pd.to_timedelta(rng.integers(0, days, 2 * rows), "D")
    days_of = days_of[(days_of.day_of_week < 5) | weekends][:rows]
    minutes = np.clip(rng.normal(11 * 60, 120, rows), 0, 24 * 60 - 1).round()
    return pd.DataFrame(
        {"checked": days_of + pd.to_timedelta(minutes, "min"), "weight": rng.normal(40, 6, rows)}
    )


def said(old, new):
    found = nachsicht.compare(old, new).findings
    return [f for f in found if f.columns == ("checked",)]


OLD, NEW = checks(1), checks(2)
SOME = np.random.default_rng(3).random(len(NEW)) < 0.3


def test_the_same_calendar_is_no_finding():
    assert said(OLD, NEW) == []


def test_weekends_that_appear_are_told():
    (finding,) = said(OLD, checks(2, weekends=True))
    assert (finding.code, finding.form) == ("dates_redistributed", "new_weekday")
    new = checks(2, weekends=True).checked.dt.day_of_week
    day = 5 if (new == 5).sum() >= (new == 6).sum() else 6
    assert finding.evidence["weekday"] == {5: "saturday", 6: "sunday"}[day]
    assert finding.evidence["old_share"] == 0
    assert finding.evidence["new_share"] == pytest.approx((new == day).mean())
    assert finding.severity == "check"


@pytest.mark.parametrize("hours", [-5, 3, 6])
def test_a_part_in_another_time_zone_is_told(hours):
    (finding,) = said(OLD, NEW.assign(checked=NEW.checked + SOME * hours * HOUR))
    assert finding.code == "timezone_shifted"
    assert finding.evidence["hours"] == hours
    assert finding.evidence["part"] == pytest.approx(SOME.mean(), abs=0.05)


def test_the_whole_in_another_time_zone_is_no_part():
    (finding,) = said(OLD, NEW.assign(checked=NEW.checked + 3 * HOUR))
    assert (finding.evidence["hours"], "part" in finding.evidence) == (3, False)


@pytest.mark.parametrize(
    ("change", "cycle", "place"),
    [
        (lambda t: t - (t.dt.day - 1) * DAY, "day", 1),
        (lambda t: t - t.dt.day_of_week * DAY, "weekday", "monday"),
        (lambda t: t.dt.normalize() + 8 * HOUR, "hour", 8),
    ],
)
def test_the_place_of_the_calendar_that_has_more_rows_is_told(change, cycle, place):
    # First the days are the whole working week's, so that none is new.
    old, new = checks(1, weekends=True), checks(2, weekends=True)
    (finding,) = said(old, new.assign(checked=new.checked.where(~SOME, change(new.checked))))
    shares = getattr(
        new.checked.dt, {"day": "day", "weekday": "day_of_week", "hour": "hour"}[cycle]
    )
    at = {"monday": 0}.get(place, place)
    assert (finding.code, finding.form) == ("dates_redistributed", cycle)
    assert finding.evidence[cycle] == place
    before = (shares == at).mean()
    assert finding.evidence["new_share"] == pytest.approx(before * 0.7 + 0.3, abs=0.03)


def test_day_and_month_swapped_in_a_part_are_told():
    def swapped(date):
        return date.replace(day=date.month, month=date.day) if date.day <= 12 else date

    rng = np.random.default_rng(5)
    old, new = (
        pd.DataFrame(
            {
                "checked": pd.Timestamp("2025-01-01") + rng.beta(2, 5, 4000) * 364 // 1 * DAY,
                "weight": rng.normal(40, 6, 4000),
            }
        )
        for _ in range(2)
    )
    some = rng.random(4000) < 0.5
    (finding,) = said(old, new.assign(checked=new.checked.where(~some, new.checked.map(swapped))))
    assert (finding.code, finding.form) == ("day_month_swapped", "part")
    assert finding.evidence["part"] == pytest.approx(0.5, abs=0.1)


@pytest.mark.parametrize(("days", "step"), [(7, 7), (70, 7), (30, 14)])
def test_dates_that_go_on_are_nothing_urgent(days, step):
    old = checks(1, start="2025-01-06", days=days, weekends=True)
    later = pd.Timestamp("2025-01-06") + step * DAY
    new = checks(2, start=str(later.date()), days=days, weekends=True)
    for one, other in ((old, new), (by_day(old), by_day(new))):
        assert [f.severity for f in said(one, other) if f.severity != "note"] == []


def by_day(frame):
    return frame.assign(checked=frame.checked.dt.normalize())


#: By a step that no delivery has.
OLD_NEW = ("2024-01-01", "2024-03-01")


def shifted(frame, days):
    return frame.assign(checked=frame.checked + days * DAY)


@pytest.mark.parametrize(("days", "severity"), [(60, "check"), (-60, "act"), (12, "check")])
def test_dates_of_other_rows_that_moved_are_no_note_and_say_by_how_much(days, severity):
    (finding,) = said(by_day(OLD), by_day(shifted(NEW, days)))
    assert (finding.code, finding.severity.value) == ("dates_shifted", severity)
    assert finding.evidence["days"] == days


def test_a_year_of_dates_that_moves_on_over_the_same_rows_is_nothing_urgent():
    whole = checks(1, rows=6000, days=1095).sort_values("checked")
    year = [whole[whole.checked.between(d, d + 730 * DAY)] for d in pd.to_datetime(OLD_NEW)]
    assert all(finding.severity.value == "note" for finding in said(*year))


def test_of_a_table_that_lost_all_its_rows_only_that_is_told():
    (finding,) = nachsicht.compare(OLD, OLD[:0]).findings
    assert (finding.code, finding.severity.value) == ("rows_lost", "act")
    assert finding.title == "All rows are gone"
    assert list(nachsicht.compare(OLD[:0], OLD).findings) == []
