"""Weekly readings of the union's hive scales, made from a seed, and the trouble planted in them."""

from __future__ import annotations

import csv
import io
import math
import random
from collections.abc import Iterator
from datetime import date, datetime, time, timedelta

SEED = 20_240_701
WEEKS, SCALES, READINGS = 60, 40, 7
FIRST_MONDAY = date(2024, 7, 1)
APIARIES = {"Lerchenfeld": 16, "Kleehof": 14, "Moorblick": 10}
#: Every so many weeks the weather repeats itself; that is no trouble.
WEATHER_WEEKS = 19
#: What is planted: column, form, and the week, counted from the first, in which it begins.
DRIFT, SPIKE, JUMP = ("battery_mv", 12), ("humidity", 41), ("bee_traffic", 52)
#: By so many millivolts the batteries run down in a week.
DRAINED_MV = 14
_COLUMNS = ("scale_id", "read_at", "apiary", "weight_kg", "bee_traffic", "humidity", "battery_mv")


def week_name(week: int) -> str:
    """What a week is called: its year and number, as ISO 8601 has them."""
    year, number, _ = (FIRST_MONDAY + timedelta(weeks=week)).isocalendar()
    return f"{year}-W{number:02d}"


def planted() -> list[dict[str, object]]:
    """What was planted, as the history should report it."""
    return [
        {"column": DRIFT[0], "statistic": "median", "form": "drift", "first": week_name(DRIFT[1])},
        {
            "column": SPIKE[0],
            "statistic": "missing_share",
            "form": "spike",
            "first": week_name(SPIKE[1]),
        },
        {"column": JUMP[0], "statistic": "median", "form": "jump", "first": week_name(JUMP[1])},
        {"column": "weather", "statistic": "share", "form": "season", "first": week_name(0)},
    ]


def make_weeks() -> Iterator[tuple[str, bytes]]:
    """The name of every week's file, and what is in it: CSV in UTF-8."""
    for week in range(WEEKS):
        text = io.StringIO()
        writer = csv.writer(text, lineterminator="\n")
        writer.writerow((*_COLUMNS, "weather"))
        writer.writerows(_readings(week))
        yield f"hive_scales_{week_name(week)}.csv", text.getvalue().encode()


def _readings(week: int) -> Iterator[tuple[object, ...]]:
    draw = random.Random(SEED + week)
    yards = [name for name, scales in APIARIES.items() for _ in range(scales)]
    sunny = 0.36 + 0.12 * math.sin(2 * math.pi * week / WEATHER_WEEKS)
    faster = week >= JUMP[1]
    for scale in range(SCALES):
        for day in range(READINGS):
            read = datetime.combine(FIRST_MONDAY, time(6)) + timedelta(
                weeks=week, days=day, minutes=draw.randrange(180)
            )
            wet = draw.random() < (0.16 if week == SPIKE[1] else 0.02)
            yield (
                f"S{scale + 1:03d}",
                read.isoformat(" "),
                yards[scale],
                f"{draw.gauss(42, 5):.1f}",
                sum(draw.random() < 0.3 for _ in range(10)) + 2 * faster,
                "" if wet else f"{draw.betavariate(8, 4):.2f}",
                round(draw.gauss(4130 - DRAINED_MV * max(week - DRIFT[1], 0), 110)),
                draw.choices(("sun", "rain", "fog"), (sunny, 0.74 - sunny, 0.26))[0],
            )
