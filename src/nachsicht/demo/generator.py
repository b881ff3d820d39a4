"""Makes the demo's files from a seed: three seasons of hive checks, and what is planted in them.

Everything is drawn from the standard library's generator, whose stream is the same on every
machine. Run ``python -m nachsicht.demo.generator FOLDER`` to make the files again.
"""

from __future__ import annotations

import csv
import io
import json
import math
import random
import sys
from datetime import date, datetime, timedelta
from pathlib import Path
from typing import Any

import msgspec

SEED = 20_230_315
HIVES = 430
POUNDS_PER_KILOGRAM = 2.20462

APIARIES = (
    "Amselgrund", "Birkenhain", "Dreilinden", "Eulenwinkel", "Finkenau", "Goldbachtal",
    "Hasenleite", "Kleehof", "Lerchenfeld", "Moorblick", "Quellental", "Rosenhang",
    "Sonnleiten", "Weidenbruch",
)  # fmt: skip
INSPECTORS = (
    "AB", "BK", "CM", "DL", "EH", "FS", "GT", "HW", "IR", "JN", "KP", "LV", "MO", "NZ", "OJ", "PE",
)  # fmt: skip
HIVE_TYPES = ("stacked", "long", "top-bar", "log")
TEMPERS = ("calm", "lively", "nervous", "fierce")
TREATMENTS = ("none", "thymol tray", "formic pad", "oxalic drip", "brood pause", "oxalic vapour")
RARE_TREATMENTS = tuple(
    f"{what} {how}"
    for what in (
        "lactic spray",
        "hop strip",
        "sugar dust",
        "drone frame",
        "heat box",
        "essence mix",
    )
    for how in ("half dose", "full dose", "twice", "by night", "trial A", "trial B")
)
OPENINGS = (
    "Brood pattern even", "Brood patchy on two frames", "Bees busy at the entrance",
    "Second box added", "Entrance narrowed", "Frames four and five rebuilt",
    "A few drones about", "Stores getting low", "Plenty of pollen coming in",
    "Old comb taken out",
)  # fmt: skip
MIDDLES = (
    "no eggs seen today", "queen marked and well", "wax moth in one corner", "roof leaks a little",
    "neighbours asked about swarms", "lime trees in flower nearby", "rape field just over",
    "wasps around the floor board", "floor board swept", "one frame of honey given back",
)  # fmt: skip
ENDINGS = (
    "come back next week", "nothing to do for now", "bring a spare lid", "tell the owner",
    "weigh again in autumn", "look for queen cells", "photo is in the album", "all good",
)  # fmt: skip

Row = dict[str, Any]


class Season(msgspec.Struct, frozen=True):
    """What differs between the yearly deliveries."""

    year: int
    rows: int
    mites: float
    warmer: float
    stand_ins: bool = False
    pounds: bool = False
    capital_calm: bool = False
    renamed_inspector: bool = False
    log_outcome_missing: bool = False
    sugar_column: bool = False
    import_twice: str = ""


SEASONS = (
    Season(2023, 5880, mites=3.1, warmer=0.0),
    Season(2024, 6012, mites=3.2, warmer=0.1, stand_ins=True),
    Season(
        2025,
        6050,
        mites=4.4,
        warmer=0.9,
        stand_ins=True,
        pounds=True,
        capital_calm=True,
        renamed_inspector=True,
        log_outcome_missing=True,
        sugar_column=True,
        import_twice="2025-06-14",
    ),
)


class Hive(msgspec.Struct, frozen=True):
    """A hive as it stands through all seasons."""

    hive_id: str
    apiary: str
    hive_type: str
    strength: float
    temper: str


def make_hives(rng: random.Random) -> list[Hive]:
    """The union's hives."""
    return [
        Hive(
            hive_id=f"H-{number:04d}",
            apiary=rng.choice(APIARIES),
            hive_type=rng.choices(HIVE_TYPES, (52, 26, 13, 9))[0],
            strength=rng.gauss(0, 1),
            temper=rng.choices(TEMPERS, (58, 24, 12, 6))[0],
        )
        for number in range(1, HIVES + 1)
    ]


def make_season(season: Season, hives: list[Hive], rng: random.Random) -> list[Row]:
    """All rows of a delivery, in the order of time, with what is planted in it."""
    start = date(season.year, 3, 15)
    moments = sorted(
        datetime(start.year, start.month, start.day, 8)
        + timedelta(days=_day(rng), minutes=5 * rng.randrange(0, 118))
        for _ in range(season.rows)
    )
    rows = [
        _check(season, number, moment, rng.choice(hives), rng)
        for number, moment in enumerate(moments, start=1)
    ]
    if season.import_twice:
        rows = _imported_twice(rows, season.import_twice)
    return rows


def _day(rng: random.Random) -> int:
    """Days since 15 March; early summer has the most checks."""
    return min(218, int(219 * rng.betavariate(1.9, 2.2)))


def _check(season: Season, number: int, moment: datetime, hive: Hive, rng: random.Random) -> Row:
    """One check. Mites lower brood and survival; brood raises weight; honey comes in summer."""
    part = (moment.date() - date(season.year, 3, 15)).days / 218
    summer = math.sin(math.pi * part)
    mites = _poisson(rng, season.mites * rng.gammavariate(1.6, 1 / 1.6) * (0.6 + 0.8 * part))
    brood = 2.2 + 6.2 * summer + 0.9 * hive.strength - 0.16 * mites + rng.gauss(0, 1.1)
    brood_frames = max(0, min(12, round(brood)))
    weight = 24 + 1.7 * brood_frames + 2.4 * hive.strength + rng.gauss(0, 3.2)
    honey = 0.0
    if 0.35 < part < 0.8 and rng.random() < 0.72:
        honey = max(0.0, rng.gauss(9 + 1.1 * brood_frames + 2 * hive.strength, 3.5))
    temperature = 5 + season.warmer + 15 * summer + rng.gauss(0, 4)
    survives = 1 / (1 + math.exp(-(1.9 + 0.5 * hive.strength - 0.17 * mites)))
    row: Row = {
        "check_id": f"C{season.year % 100}-{number:05d}",
        "hive_id": hive.hive_id,
        "apiary": hive.apiary,
        "checked_on": moment.date().isoformat(),
        "checked_at": moment.isoformat(sep=" "),
        "inspector": _inspector(hive.apiary, rng),
        "hive_type": hive.hive_type,
        "queen_age_years": _sometimes(
            rng, 0.028, rng.choices((0, 1, 2, 3, 4), (24, 36, 24, 11, 5))[0]
        ),
        "queen_seen": _sometimes(rng, 0.006, "yes" if rng.random() < 0.35 + 0.3 * summer else "no"),
        "brood_frames": _sometimes(rng, 0.021, brood_frames),
        "mite_count": _sometimes(rng, 0.017, mites),
        "hive_weight": _sometimes(rng, 0.011, _weighed(season, weight)),
        "honey_kg": f"{honey:.1f}",
        "air_temp_c": _temperature(season, temperature, rng),
        "temper": _sometimes(rng, 0.01, _temper(season, hive, rng)),
        "treatment": _treatment(rng, mites),
        "note": _note(rng),
        "overwintered": _outcome(season, hive, "yes" if rng.random() < survives else "no", rng),
        "form_version": "B2",
    }
    if season.sugar_column:
        fed = part < 0.15 or part > 0.8
        row["sugar_fed_kg"] = f"{max(0.0, rng.gauss(2.5, 0.8)):.1f}" if fed else "0.0"
    if season.renamed_inspector:
        row = {("inspector_code" if name == "inspector" else name): row[name] for name in row}
    return row


def _sometimes(rng: random.Random, missing: float, value: Any) -> Any:
    return "" if rng.random() < missing else value


def _weighed(season: Season, kilograms: float) -> str:
    return f"{kilograms * (POUNDS_PER_KILOGRAM if season.pounds else 1):.1f}"


def _temperature(season: Season, celsius: float, rng: random.Random) -> str:
    draw = rng.random()
    if season.stand_ins and draw < 0.007:
        return "-99"
    return "" if draw > 0.97 else f"{celsius:.1f}"


def _temper(season: Season, hive: Hive, rng: random.Random) -> str:
    temper = hive.temper if rng.random() < 0.75 else rng.choices(TEMPERS, (58, 24, 12, 6))[0]
    capital = season.capital_calm and temper == "calm" and rng.random() < 0.3
    return "Calm" if capital else temper


def _treatment(rng: random.Random, mites: int) -> str:
    if rng.random() < 0.06:
        return rng.choice(RARE_TREATMENTS)
    treatment = rng.choices(TREATMENTS, (70 - min(mites, 20), 9, 7, 7, 4, 3))[0]
    return "Oxalic Drip" if treatment == "oxalic drip" and rng.random() < 0.2 else treatment


def _note(rng: random.Random) -> str:
    if rng.random() < 0.22:
        return ""
    parts = [rng.choice(OPENINGS), rng.choice(MIDDLES)]
    if rng.random() < 0.6:
        parts.append(rng.choice(ENDINGS))
    return ", ".join(parts) + "."


def _inspector(apiary: str, rng: random.Random) -> str:
    home = APIARIES.index(apiary)
    return INSPECTORS[home] if rng.random() < 0.7 else rng.choice(INSPECTORS)


def _outcome(season: Season, hive: Hive, outcome: str, rng: random.Random) -> str:
    draw = rng.random()
    lost = 0.86 if season.log_outcome_missing and hive.hive_type == "log" else 0.004
    return "" if draw < lost else outcome


def _poisson(rng: random.Random, mean: float) -> int:
    """Knuth's product of uniform draws; fine for small means."""
    limit, count, product = math.exp(-mean), 0, rng.random()
    while product > limit:
        count += 1
        product *= rng.random()
    return count


def _imported_twice(rows: list[Row], day: str) -> list[Row]:
    """The rows of one day once more, right behind that day."""
    places = [place for place, row in enumerate(rows) if row["checked_on"] == day]
    end = places[-1] + 1
    return rows[:end] + [dict(rows[place]) for place in places] + rows[end:]


def planted(seasons: dict[int, list[Row]]) -> dict[str, Any]:
    """What was planted, with the facts as they stand in the rows."""
    new = seasons[2025]
    twice = sum(row["checked_on"] == "2025-06-14" for row in new) // 2
    lost = sum(row["overwintered"] == "" for row in new)
    last, all_three = "2024 2025", "2023 2024 2025"
    return {
        "within": [
            _planted("duplicate_rows", "2025", rows=twice),
            _planted("sentinel_value", last, "air_temp_c", value=-99),
            _planted(
                "similar_levels", all_three, "treatment", spellings=["oxalic drip", "Oxalic Drip"]
            ),
            _planted("similar_levels", "2025", "temper", spellings=["calm", "Calm"]),
            _planted("constant", all_three, "form_version", value="B2"),
        ],
        "between": [
            _planted("new_duplicate_rows", last, rows=twice),
            _planted("rescaled", last, "hive_weight", factor=POUNDS_PER_KILOGRAM),
            _planted("respelled", last, "temper", old_spelling="calm", new_spellings=["Calm"]),
            _planted("renamed", last, "inspector_code", old_name="inspector"),
            _planted(
                "missing_increased",
                last,
                "overwintered",
                missing=lost,
                where_by=["hive_type"],
                where_level=["log"],
            ),
            _planted("added", last, "sugar_fed_kg"),
            _planted("distribution_shift", last, "mite_count"),
            _planted("shifted", last, "air_temp_c"),
            _planted("sentinel_value_new", "2023 2024", "air_temp_c", value=-99),
        ],
    }


def _planted(code: str, versions: str, column: str | None = None, **facts: Any) -> dict[str, Any]:
    columns = [column] if column else []
    return {"code": code, "versions": versions.split(), "columns": columns, **facts}


def make_all() -> dict[str, bytes]:
    """Every file of the demo: its name and its bytes."""
    rng = random.Random(SEED)
    hives = make_hives(rng)
    seasons = {season.year: make_season(season, hives, rng) for season in SEASONS}
    made = {f"hive_checks_{year}.csv": _csv(rows) for year, rows in seasons.items()}
    text = json.dumps(planted(seasons), indent=2, ensure_ascii=False)
    return {**made, "planted.json": (text + "\n").encode("utf-8")}


def _csv(rows: list[Row]) -> bytes:
    file = io.StringIO()
    writer = csv.DictWriter(file, fieldnames=list(rows[0]), lineterminator="\n")
    writer.writeheader()
    writer.writerows(rows)
    return file.getvalue().encode("utf-8")


if __name__ == "__main__":
    folder = Path(sys.argv[1] if len(sys.argv) > 1 else "src/nachsicht/demo/data")
    folder.mkdir(parents=True, exist_ok=True)
    for name, data in make_all().items():
        (folder / name).write_bytes(data)
