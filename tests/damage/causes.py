"""Every cause of a change, done to a table: blatant, moderate and subtle.

A cause is a function of a table, a random generator and a strength (0 blatant, 1 moderate, 2
subtle). It returns the damaged table, and the code and columns under which it should be
found; or None where the table has nothing that it could be done to.
"""

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
import pandas as pd

STRENGTHS = ("blatant", "moderate", "subtle")


class Done(NamedTuple):
    """The damaged table; codes and columns that name the damage; settings to compare with."""

    frame: pd.DataFrame
    codes: tuple[str, ...]
    columns: tuple[str, ...]
    settings: dict = {}  # noqa: RUF012 (never changed)


Cause = Callable[[pd.DataFrame, np.random.Generator, int], Done | None]
CAUSES: dict[str, Cause] = {}


def cause(name: str) -> Callable[[Cause], Cause]:
    def enter(function: Cause) -> Cause:
        CAUSES[name] = function
        return function

    return enter


def quantities(frame: pd.DataFrame, fewest: int = 40) -> list[str]:
    return [
        name
        for name in frame.select_dtypes("number")
        if fewest < frame[name].nunique() < len(frame) * 0.9
    ]


def levels(frame: pd.DataFrame, most: int = 12) -> list[str]:
    return [
        name
        for name in frame
        if frame[name].dtype.kind in "OT" or str(frame[name].dtype) in ("str", "string")
        if 3 <= frame[name].nunique() <= most
    ]


def moments(frame: pd.DataFrame, clock: bool = False) -> list[str]:
    found = frame.select_dtypes("datetime")
    return [n for n in found if not clock or (found[n].dt.normalize() != found[n]).any()]


def texts(frame: pd.DataFrame) -> list[str]:
    names = [n for n in frame if frame[n].dtype.kind in "OT" or str(frame[n].dtype) == "str"]
    return [n for n in names if frame[n].dropna().astype(str).str.len().median() > 15]


def pick(names: list[str], rng: np.random.Generator) -> str | None:
    return str(rng.choice(sorted(names))) if names else None


def some(frame: pd.DataFrame, rng: np.random.Generator, share: float) -> np.ndarray:
    return rng.random(len(frame)) < share


def changed(frame: pd.DataFrame, name: str, values: object) -> pd.DataFrame:
    return frame.assign(**{name: values})


@cause("renamed")
def renamed(frame, rng, strength):
    name = pick(quantities(frame) + levels(frame), rng)
    parts = name.split("_")
    new = (f"{name}_new", "".join(p[:3] for p in parts), "column_x")[strength]
    return Done(frame.rename(columns={name: new}), ("renamed",), (new,))


@cause("removed")
def removed(frame, rng, strength):
    name = pick(list(frame), rng)
    return Done(frame.drop(columns=name), ("removed",), (name,))


@cause("added")
def added(frame, rng, strength):
    share = (0.0, 0.3, 0.9)[strength]
    values = np.where(some(frame, rng, share), np.nan, rng.weibull(1.5, len(frame)))
    return Done(frame.assign(pollen_index=values), ("added",), ("pollen_index",))


@cause("swapped")
def swapped(frame, rng, strength):
    names = quantities(frame)
    gaps = {}
    for i, a in enumerate(names):
        for b in names[i + 1 :]:
            x, y = np.sort(frame[a].dropna()), np.sort(frame[b].dropna())
            places = np.concatenate((x, y))
            one, other = (np.searchsorted(v, places) / len(v) for v in (x, y))
            gaps[a, b] = np.abs(one - other).max()
    bounds = ((0.8, 1.1), (0.35, 0.8), (0.1, 0.35))[strength]
    fit = [pair for pair, gap in sorted(gaps.items()) if bounds[0] <= gap < bounds[1]]
    if not fit:
        return None
    a, b = fit[rng.integers(len(fit))]
    return Done(frame.assign(**{a: frame[b], b: frame[a]}), ("swapped",), (a, b))


@cause("numbers as text")
def numbers_as_text(frame, rng, strength):
    name = pick(quantities(frame), rng)
    plain = frame[name].map(lambda v: None if pd.isna(v) else f"{v:.2f}")
    if strength == 0:
        new = plain + " kg"
    elif strength == 1:
        new = plain.str.replace(".", ",")
    else:
        new = plain.where(~some(frame, rng, 0.01) | plain.isna(), "about three")
    return Done(changed(frame, name, new), ("numbers_as_text",), (name,))


@cause("dates as text")
def dates_as_text(frame, rng, strength):
    name = pick(moments(frame), rng)
    pattern = ("%d.%m.%Y", "%m/%d/%Y", "%d/%m/%Y")[strength]
    pattern += " %H:%M" if name in moments(frame, clock=True) else ""
    return Done(changed(frame, name, frame[name].dt.strftime(pattern)), ("dates_as_text",), (name,))


@cause("rescaled")
def rescaled(frame, rng, strength):
    name = pick([n for n in quantities(frame) if frame[n].median() > 0.5], rng)
    factor = (1000, 2.20462, 1.08)[strength]
    return Done(changed(frame, name, frame[name] * factor), ("rescaled",), (name,))


@cause("Celsius to Fahrenheit")
def fahrenheit(frame, rng, strength):
    name = pick([n for n in quantities(frame) if n.endswith("_c")], rng)
    if name is None:
        return None
    values = (frame[name] * 1.8 + 32, (frame[name] * 1.8 + 32).round(), frame[name] + 273.15)
    return Done(changed(frame, name, values[strength]), ("rescaled",), (name,))


@cause("shifted")
def shifted(frame, rng, strength):
    name = pick([n for n in quantities(frame) if (frame[n] == 0).mean() < 0.2], rng)
    spread = frame[name].quantile(0.75) - frame[name].quantile(0.25)
    by = np.round((3, 0.7, 0.25)[strength] * spread, 1) or 0.1
    return Done(changed(frame, name, frame[name] + by), ("shifted",), (name,))


@cause("sign turned")
def turned(frame, rng, strength):
    name = pick([n for n in quantities(frame) if frame[n].min() > 0], rng)
    if name is None or strength:
        return None
    return Done(changed(frame, name, -frame[name]), ("sign_flipped",), (name,))


@cause("dates shifted")
def moments_shifted(frame, rng, strength):
    name = pick(moments(frame), rng)
    span = frame[name].max() - frame[name].min()
    days = max(1, round((0.4, 0.15, 0.0)[strength] * span.days))
    if days % 30.4375 >= 27 or days % 30.4375 <= 3:
        days += 8 if strength < 2 else 0
    new = frame[name] + pd.Timedelta(days=days)
    return Done(changed(frame, name, new), ("dates_shifted",), (name,))


@cause("time zone lost")
def clock_shifted(frame, rng, strength):
    name = pick(moments(frame, clock=True), rng)
    if name is None:
        return None
    hours = frame[name].dt.hour.value_counts(normalize=True)
    if hours.max() < 0.07:
        return None  # the clock says nothing where every hour is alike
    new = frame[name] - pd.Timedelta(hours=(8, 2, 1)[strength])
    return Done(changed(frame, name, new), ("timezone_shifted",), (name,))


@cause("day and month exchanged")
def exchanged(frame, rng, strength):
    name = pick(moments(frame), rng)
    when = frame[name]
    could = when.dt.day <= 12
    if strength == 1:
        could &= some(frame, rng, 1.0) & (when.dt.day != when.dt.month)
    if strength == 2:
        return None
    new = when.mask(
        could,
        pd.to_datetime(
            pd.DataFrame(
                {
                    "year": when.dt.year,
                    "month": when.dt.day.where(could, 1),
                    "day": when.dt.month.where(could, 1),
                    "hour": when.dt.hour,
                    "minute": when.dt.minute,
                }
            )
        ),
    )
    return Done(changed(frame, name, new), ("day_month_swapped",), (name,))


@cause("times lost")
def times_lost(frame, rng, strength):
    name = pick(moments(frame, clock=True), rng)
    if name is None or strength:
        return None
    return Done(changed(frame, name, frame[name].dt.normalize()), ("time_of_day_lost",), (name,))


@cause("stand-in number")
def find_sentinel(frame, rng, strength):
    name = pick(quantities(frame), rng)
    code = (-999, 9999, -99)[rng.integers(3)]
    hit = some(frame, rng, (0.1, 0.02, 0.004)[strength])
    return Done(changed(frame, name, frame[name].mask(hit, code)), ("sentinel_value_new",), (name,))


@cause("stand-in zero")
def stand_in_zero(frame, rng, strength):
    name = pick([n for n in quantities(frame) if frame[n].min() > 0], rng)
    if name is None:
        return None
    hit = some(frame, rng, (0.15, 0.05, 0.01)[strength])
    return Done(changed(frame, name, frame[name].mask(hit, 0)), ("sentinel_value_new",), (name,))


@cause("stand-in word")
def stand_in_word(frame, rng, strength):
    name = pick(levels(frame) + texts(frame), rng)
    hit = some(frame, rng, (0.1, 0.03, 0.006)[strength])
    word = ("N/A", "unknown", "-", "null")[rng.integers(4)]
    return Done(changed(frame, name, frame[name].mask(hit, word)), ("sentinel_value_new",), (name,))


@cause("stand-in date")
def stand_in_date(frame, rng, strength):
    name = pick(moments(frame), rng)
    hit = some(frame, rng, (0.1, 0.02, 0.004)[strength])
    day = pd.Timestamp(("1900-01-01", "1970-01-01")[rng.integers(2)])
    return Done(changed(frame, name, frame[name].mask(hit, day)), ("sentinel_value_new",), (name,))


@cause("filled with one value")
def became_constant(frame, rng, strength):
    name = pick(quantities(frame) + levels(frame), rng)
    value = frame[name].mode()[0]
    if strength == 0:
        return Done(changed(frame, name, value), ("became_constant",), (name,))
    if name not in quantities(frame):
        return None
    value = frame[name].median()
    hit = some(frame, rng, (0, 0.15, 0.04)[strength])
    codes = ("value_spike", "missing_imputed", "sentinel_value_new")
    return Done(changed(frame, name, frame[name].mask(hit, value)), codes, (name,))


@cause("gaps filled")
def gaps_filled(frame, rng, strength):
    names = [n for n in quantities(frame) + levels(frame) if frame[n].isna().mean() > 0.01]
    name = pick(names, rng)
    if name is None or strength:
        return None
    numeric = name in quantities(frame)
    value = frame[name].median() if numeric else frame[name].mode()[0]
    return Done(
        changed(frame, name, frame[name].fillna(value)),
        ("missing_imputed", "missing_decreased"),
        (name,),
    )


@cause("clipped")
def clipped(frame, rng, strength):
    name = pick(quantities(frame), rng)
    cap = frame[name].quantile((0.7, 0.9, 0.98)[strength])
    return Done(changed(frame, name, frame[name].clip(upper=cap)), ("clipped",), (name,))


@cause("held up")
def held_up(frame, rng, strength):
    name = pick([n for n in quantities(frame) if (frame[n] == frame[n].min()).mean() < 0.05], rng)
    floor = frame[name].quantile((0.3, 0.1, 0.02)[strength])
    return Done(changed(frame, name, frame[name].clip(lower=floor)), ("clipped",), (name,))


@cause("heaped")
def heaped(frame, rng, strength):
    wide = [n for n in quantities(frame) if np.subtract(*frame[n].quantile([0.9, 0.1])) > 15]
    name = pick(wide, rng)
    if name is None:
        return None
    hit = some(frame, rng, (0.8, 0.4, 0.15)[strength])
    new = frame[name].mask(hit, (frame[name] / 5).round() * 5)
    return Done(changed(frame, name, new), ("heaped",), (name,))


@cause("decimals lost")
def rounded(frame, rng, strength):
    fine = [n for n in quantities(frame) if (frame[n] % 1 != 0).mean() > 0.5]
    fine = [n for n in fine if np.subtract(*frame[n].quantile([0.9, 0.1])) > 10]
    name = pick(fine, rng)
    if name is None:
        return None
    step = (5, 1, 0.5)[strength]
    new = (frame[name] / step).round() * step
    return Done(changed(frame, name, new), ("rounded",), (name,))


@cause("text cut")
def texts_cut(frame, rng, strength):
    name = pick(texts(frame), rng)
    if name is None:
        return None
    lengths = frame[name].dropna().str.len()
    length = int(lengths.quantile((0.4, 0.8, 0.97)[strength]))
    return Done(changed(frame, name, frame[name].str[:length]), ("text_truncated",), (name,))


@cause("letters damaged")
def letters_damaged(frame, rng, strength):
    names = [
        n
        for n in levels(frame, 60) + texts(frame)
        if frame[n].dropna().map(lambda v: not v.isascii()).mean() > 0.02
    ]
    name = pick(names, rng)
    if name is None:
        return None
    hit = some(frame, rng, (1, 0.5, 0.1)[strength])
    damaged = frame[name].map(
        lambda v: v.encode().decode("cp1252", "replace") if isinstance(v, str) else v
    )
    return Done(
        changed(frame, name, frame[name].mask(hit, damaged)), ("garbled_text_new",), (name,)
    )


@cause("relabelled")
def relabelled(frame, rng, strength):
    name = pick(levels(frame), rng)
    counts = frame[name].value_counts()
    if strength == 0:
        names = {level: f"{i + 1:02d}-{level[:1]}" for i, level in enumerate(sorted(counts.index))}
    else:
        level = counts.index[0 if strength == 1 else min(2, len(counts) - 1)]
        names = {level: "zone " + str(level)[:2]}
    return Done(changed(frame, name, frame[name].replace(names)), ("relabelled",), (name,))


@cause("level new")
def level_new(frame, rng, strength):
    name = pick(levels(frame), rng)
    hit = some(frame, rng, (0.2, 0.06, 0.015)[strength])
    return Done(changed(frame, name, frame[name].mask(hit, "willow")), ("new_levels",), (name,))


@cause("level gone")
def level_gone(frame, rng, strength):
    name = pick(levels(frame), rng)
    shares = frame[name].value_counts(normalize=True)
    order = {0: 0, 1: len(shares) // 2, 2: len(shares) - 1}[strength]
    level = shares.index[order]
    if shares[level] < 0.01:
        return None
    others = shares.index[shares.index != level]
    new = frame[name].where(frame[name] != level, others[0])
    return Done(changed(frame, name, new), ("missing_levels",), (name,))


@cause("respelled")
def respelled(frame, rng, strength):
    name = pick([n for n in levels(frame) if frame[n].dropna().str.isalpha().any()], rng)
    if name is None:
        return None
    top = frame[name].value_counts().index[0]
    if strength == 0:
        new = frame[name].str.upper()
    else:
        hit = some(frame, rng, (0, 0.3, 0.05)[strength]) & (frame[name] == top)
        new = frame[name].mask(hit, top.title() + " ")
    return Done(changed(frame, name, new), ("respelled",), (name,))


@cause("gaps in one level")
def gaps_in_level(frame, rng, strength):
    by = pick(levels(frame), rng)
    name = pick([n for n in quantities(frame) if n != by], rng)
    shares = frame[by].value_counts(normalize=True)
    level = shares.index[min(1, len(shares) - 1)]
    hit = some(frame, rng, (0.9, 0.5, 0.15)[strength]) & (frame[by] == level)
    return Done(changed(frame, name, frame[name].mask(hit)), ("missing_increased",), (name,))


@cause("gaps everywhere")
def gaps(frame, rng, strength):
    name = pick(list(frame.columns[1:]), rng)
    hit = some(frame, rng, (0.5, 0.1, 0.03)[strength])
    new = frame[name].astype("object").mask(hit) if frame[name].dtype == bool else None
    new = frame[name].mask(hit) if new is None else new
    return Done(changed(frame, name, new), ("missing_increased",), (name,))


@cause("rows lost in one level")
def rows_lost(frame, rng, strength):
    by = pick(levels(frame), rng)
    level = frame[by].value_counts().index[0]
    hit = some(frame, rng, (0.95, 0.6, 0.25)[strength]) & (frame[by] == level)
    codes = ("rows_lost",) if strength < 2 else ("rows_lost", "category_shift")
    return Done(frame[~hit].reset_index(drop=True), codes, (by,))


@cause("rows lost in time")
def rows_lost_in_time(frame, rng, strength):
    name = pick(moments(frame), rng)
    place = frame[name].quantile((0.5, 0.75, 0.93)[strength])
    kept = frame[frame[name] <= place].reset_index(drop=True)
    return Done(kept, ("rows_lost",), ())


@cause("moved in one level")
def moved_in_level(frame, rng, strength):
    by = pick(levels(frame), rng)
    name = pick([n for n in quantities(frame) if n != by], rng)
    level = frame[by].value_counts().index[0]
    inside = frame[by] == level
    by_much = (3, 1.2, 0.4)[strength] * frame[name].std()
    # Stretched, not only shifted, as real changes are. A factor of the level's rows may give the
    # same spread; the distributions alone cannot tell the two apart.
    noise = rng.gamma(2, by_much / 2, len(frame))
    new = frame[name].mask(inside, frame[name] + np.round(noise, 2))
    return Done(changed(frame, name, new), ("distribution_shift", "rescaled"), (name,))


@cause("shares moved")
def shares_moved(frame, rng, strength):
    name = pick(levels(frame), rng)
    top, second = frame[name].value_counts().index[:2]
    hit = some(frame, rng, (0.8, 0.4, 0.15)[strength]) & (frame[name] == top)
    return Done(changed(frame, name, frame[name].mask(hit, second)), ("category_shift",), (name,))


@cause("imported twice")
def imported_twice(frame, rng, strength):
    size = max(3, int(len(frame) * (0.15, 0.03, 0.004)[strength]))
    start = int(rng.integers(0, len(frame) - size))
    block = frame.iloc[start : start + size]
    twice = pd.concat([frame.iloc[: start + size], block, frame.iloc[start + size :]])
    return Done(twice.reset_index(drop=True), ("new_duplicate_rows",), ())


@cause("key no longer unique")
def key_repeats(frame, rng, strength):
    name = frame.columns[0]
    hit = some(frame, rng, (0.1, 0.02, 0.002)[strength])
    hit[0] = False
    previous = frame[name].shift(1)
    new = frame[name].where(~hit, previous).astype(frame[name].dtype)
    return Done(changed(frame, name, new), ("new_duplicate_ids", "key_not_unique"), (name,))


def strongest(frame: pd.DataFrame) -> tuple[str, str] | None:
    table = frame[quantities(frame, 8)].corr("spearman").abs().to_numpy().copy()
    np.fill_diagonal(table, 0)
    if not table.size or np.nanmax(table) < 0.5:
        return None
    names = quantities(frame, 8)
    i, j = np.unravel_index(np.nanargmax(table), table.shape)
    return names[i], names[j]


@cause("relation broken")
def relation_broken(frame, rng, strength):
    pair = strongest(frame)
    if pair is None:
        return None
    hit = some(frame, rng, (1, 0.6, 0.2)[strength])
    new = frame[pair[1]].to_numpy().copy()
    new[hit] = rng.permutation(new[hit])
    return Done(changed(frame, pair[1], new), ("association_lost",), pair)


@cause("relation turned")
def relation_turned(frame, rng, strength):
    pair = strongest(frame)
    if pair is None or strength == 2:
        return None
    values = frame[pair[1]].to_numpy()
    order = np.argsort(values)
    new = values.copy()
    new[order] = values[order[::-1]]
    if strength:
        keep = some(frame, rng, 0.2)
        new[keep] = rng.permutation(new[keep])
    return Done(changed(frame, pair[1], new), ("association_reversed",), pair)


@cause("relation new")
def relation_new(frame, rng, strength):
    names = quantities(frame)
    corr = frame[names].corr("spearman").abs().to_numpy()
    free = [
        (a, b)
        for i, a in enumerate(names)
        for j, b in enumerate(names)
        if corr[i, j] < 0.1
        and np.sort(corr[j])[-2] < 0.3
        and frame[a].notna().all()
        and frame[b].notna().all()
    ]
    if not free:
        return None
    a, b = free[rng.integers(len(free))]
    noise = (0.05, 0.8, 3)[strength] * frame[a].rank().std()
    order = np.argsort(frame[a].rank().to_numpy() + rng.normal(0, noise, len(frame)))
    new = np.empty(len(frame))
    new[order] = np.sort(frame[b].to_numpy())
    return Done(changed(frame, b, new), ("association_new",), (a, b))


@cause("gives the outcome away")
def gives_away(frame, rng, strength):
    outcome = pick(levels(frame, 6), rng)
    if outcome is None:
        return None
    right = ~some(frame, rng, (0.0, 0.005, 0.03)[strength])
    codes = frame[outcome].astype("category").cat.codes
    new = codes.where(right, rng.permutation(codes)).map(lambda c: f"K{c}")
    new = new.where(frame[outcome].notna(), None)
    return Done(frame.assign(late_code=new), ("leakage_new",), ("late_code",), {"outcome": outcome})
