"""Sorts of damage, each blatant, moderate and subtle, with what is true of it.

A sort is a function of the newer version, a column of its kind, a generator and the strength (0, 1,
2). It returns what was done, or None where it does not fit. What names the cause is a list of
finding codes, each with facts that the finding's evidence must hold.
"""

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
import pandas as pd

STRENGTHS = ("blatant", "moderate", "subtle")


class Truth(NamedTuple):
    """A damaged table, the columns concerned, and (code, facts) that name the cause."""

    frame: pd.DataFrame
    columns: tuple[str, ...]
    causes: tuple[tuple[str, dict], ...]
    #: Shares of rows concerned, or None for all.
    share: float | None = None
    place: tuple[str, str] | None = None
    #: Rows concerned, where conditions on other columns tell them.
    rows: np.ndarray | None = None


Sort = Callable[[pd.DataFrame, str, np.random.Generator, int], Truth | None]
SORTS: dict[str, tuple[str, Sort]] = {}


def sort(kind: str):
    def enter(function: Sort) -> Sort:
        SORTS[function.__name__] = (kind, function)
        return function

    return enter


def columns_of(frame: pd.DataFrame, kind: str) -> list[str]:
    """Columns that a sort fits."""
    if kind == "table":
        return [frame.columns[-1]]
    found = []
    for name in frame.columns.drop("row", errors="ignore"):
        values = frame[name].dropna()
        distinct = values.nunique()
        if len(values) < 50 or distinct < 2:
            continue
        number = pd.api.types.is_numeric_dtype(values) and values.dtype != bool
        date = pd.api.types.is_datetime64_any_dtype(values)
        text = not number and not date and values.dtype != bool
        if (
            (kind == "number" and number and distinct > 20)
            or (kind == "level" and text and 2 < distinct <= 25)
            or (kind == "date" and date and distinct > 20)
            or (kind == "clock" and date and (values.dt.normalize() != values).mean() > 0.5)
            or (kind == "any" and not date)
        ):
            found.append(name)
    return found


def rewritten(rule: str, **facts):
    return ("values_changed", {"rewrite": rule, **facts})


def put(frame, column, values, where=None):
    """The table with values in some rows of a column."""
    new = frame.copy()
    if where is None:
        new[column] = values
    else:
        new[column] = new[column].astype(object) if new[column].dtype == bool else new[column]
        whole = pd.api.types.is_integer_dtype(new[column])
        new[column] = new[column].where(~where, values)
        if whole and new[column].notna().all() and (new[column] % 1 == 0).all():
            new[column] = new[column].astype(frame[column].dtype)
    return new


def some(frame, column, rng, share):
    return frame[column].notna().to_numpy() & (rng.random(len(frame)) < share)


def size_of(values):
    """A robust standard deviation."""
    low, high = values.quantile([0.25, 0.75])
    return float((high - low) / 1.349) or float(values.std()) or 1.0


@sort("number")
def unit(frame, column, rng, strength):
    factor = rng.choice(
        [(1000, 0.001, 100), (2.20462, 0.453592, 1.609344), (1.2, 0.85, 1.1)][strength]
    )
    causes = (("rescaled", {"factor": factor}), rewritten("scaled", factor=factor))
    causes += (rewritten("decimal_point", factor=factor),)
    return Truth(put(frame, column, frame[column] * factor), (column,), causes)


@sort("number")
def shift(frame, column, rng, strength):
    by = float(f"{(3, 1, 0.4)[strength] * size_of(frame[column]):.2g}") * rng.choice([-1, 1])
    new = put(frame, column, frame[column] + by)
    return Truth(new, (column,), (("shifted", {"shift": by}), rewritten("shifted", amount=by)))


@sort("number")
def sign(frame, column, rng, strength):
    if (frame[column] < 0).mean() > 0.2:
        return None
    share = (1.0, 0.3, 0.06)[strength]
    where = some(frame, column, rng, share)
    causes = (rewritten("sign_flipped"), ("rescaled", {"factor": -1}), ("sign_flipped", {}))
    causes += (("out_of_range", {"side": "below"}),) if share < 1 else ()
    return Truth(put(frame, column, -frame[column], where), (column,), causes, share)


@sort("number")
def part_in_another_unit(frame, column, rng, strength):
    factor = float(rng.choice([(1000, 100), (100, 0.01), (2.20462, 10)][strength]))
    share = (0.4, 0.2, 0.06)[strength]
    where = some(frame, column, rng, share)
    causes = (("rescaled", {"factor": factor, "scaled_share": share}),)
    causes += (rewritten("scaled", factor=factor), rewritten("decimal_point", factor=factor))
    return Truth(put(frame, column, frame[column] * factor, where), (column,), causes, share)


@sort("number")
def fahrenheit(frame, column, rng, strength):
    share = (1.0, 0.4, 0.1)[strength]
    where = some(frame, column, rng, share)
    causes = (("rescaled", {"factor": 1.8}), rewritten("affine", factor=1.8, offset=32))
    return Truth(put(frame, column, frame[column] * 1.8 + 32, where), (column,), causes, share)


@sort("number")
def capped(frame, column, rng, strength):
    cap = float(frame[column].quantile((0.6, 0.9, 0.97)[strength]))
    if (frame[column] > cap).sum() < 5 or (frame[column] == cap).mean() > 0.1:
        return None
    new = put(frame, column, frame[column].clip(upper=cap))
    causes = (("clipped", {"cap": cap}), rewritten("capped", value=f"{cap:g}"))
    return Truth(new, (column,), causes)


@sort("number")
def floored(frame, column, rng, strength):
    cap = float(frame[column].quantile((0.4, 0.1, 0.03)[strength]))
    if (frame[column] < cap).sum() < 5 or (frame[column] == cap).mean() > 0.1:
        return None
    new = put(frame, column, frame[column].clip(lower=cap))
    return Truth(new, (column,), (("clipped", {"cap": cap}), rewritten("floored")))


def _grid(values, strength):
    step = 10.0 ** np.floor(np.log10((3, 0.7, 0.15)[strength] * size_of(values)))
    coarse = (values / step).round() * step
    return (
        (step, coarse) if (coarse != values).mean() > 0.3 and coarse.nunique() > 2 else (step, None)
    )


@sort("number")
def rounded(frame, column, rng, strength):
    step, coarse = _grid(frame[column], strength)
    if coarse is None:
        return None
    causes = (
        ("rounded", {"step": step}),
        ("heaped", {"step": step}),
        rewritten("rounded", step=step),
    )
    return Truth(put(frame, column, coarse.round(9)), (column,), causes)


@sort("number")
def part_rounded(frame, column, rng, strength):
    step, coarse = _grid(frame[column], 1)
    if coarse is None:
        return None
    share = (0.8, 0.4, 0.15)[strength]
    where = some(frame, column, rng, share)
    causes = (
        ("heaped", {"step": step}),
        ("rounded", {"step": step}),
        rewritten("rounded", step=step),
    )
    return Truth(put(frame, column, coarse.round(9), where), (column,), causes, share)


@sort("number")
def decimals_cut(frame, column, rng, strength):
    values = frame[column]
    cut = np.trunc(values)
    if (cut != values).mean() < 0.3 or cut.nunique() < 4:
        return None
    where = some(frame, column, rng, (1.0, 0.5, 0.2)[strength])
    causes = (("rounded", {}), ("heaped", {}), rewritten("cut_off"))
    return Truth(put(frame, column, cut, where), (column,), causes)


@sort("number")
def code_for_missing(frame, column, rng, strength):
    code = rng.choice([-999, 9999, -99])
    if frame[column].min() <= code <= frame[column].max():
        return None
    share = (0.2, 0.05, 0.01)[strength]
    where = some(frame, column, rng, share)
    causes = (("sentinel_value_new", {"value": code}), rewritten("overwritten", value=str(code)))
    causes += (("out_of_range", {"value": code}),)
    return Truth(put(frame, column, code, where), (column,), causes, share)


@sort("number")
def zero_written(frame, column, rng, strength):
    if (frame[column] == 0).mean() > 0.05:
        return None
    share = (0.3, 0.08, 0.02)[strength]
    where = some(frame, column, rng, share)
    causes = (("value_spike", {"value": 0}), ("sentinel_value_new", {"value": 0}))
    causes += (rewritten("overwritten", value="0"), ("zeros", {}), ("out_of_range", {}))
    return Truth(put(frame, column, 0, where), (column,), causes, share)


@sort("any")
def missing_anywhere(frame, column, rng, strength):
    share = (0.4, 0.1, 0.03)[strength]
    where = some(frame, column, rng, share)
    new = put(frame, column, None, where)
    return Truth(new, (column,), (("missing_increased", {}), rewritten("emptied")), share)


@sort("any")
def missing_in_a_level(frame, column, rng, strength):
    names = [n for n in columns_of(frame, "level") if n != column]
    if not names:
        return None
    by = str(rng.choice(names))
    counts = frame[by].value_counts()
    level = rng.choice(counts.index[counts > 20]) if (counts > 20).any() else None
    if level is None or counts[level] > 0.7 * len(frame):
        return None
    where = (frame[by] == level).to_numpy() & some(frame, column, rng, (0.9, 0.4, 0.15)[strength])
    causes = (("missing_increased", {}), rewritten("emptied"))
    return Truth(put(frame, column, None, where), (column,), causes, None, (by, str(level)))


@sort("number")
def missing_filled(frame, column, rng, strength):
    empty = frame[column].isna().to_numpy()
    if empty.mean() < 0.02:
        return None
    where = empty & (rng.random(len(frame)) < (1.0, 0.7, 0.4)[strength])
    value = float(f"{frame[column].mean():.4g}")
    causes = (("missing_imputed", {"value": value}), rewritten("filled_with"))
    causes += (("missing_decreased", {}), ("value_spike", {"value": value}))
    return Truth(put(frame, column, value, where), (column,), causes)


@sort("number")
def one_value_written(frame, column, rng, strength):
    share = (0.3, 0.1, 0.03)[strength]
    value = frame[column].dropna().sample(1, random_state=int(rng.integers(1 << 30))).iloc[0]
    if (frame[column] == value).mean() > 0.05:
        return None
    where = some(frame, column, rng, share)
    causes = (("value_spike", {"value": value}), rewritten("overwritten"))
    return Truth(put(frame, column, value, where), (column,), causes, share)


@sort("number")
def noise(frame, column, rng, strength):
    values = frame[column]
    added = rng.normal(0, (3, 1, 0.5)[strength] * size_of(values), len(frame))
    decimals = 0 if pd.api.types.is_integer_dtype(values) else 2
    new = put(frame, column, (values + added).round(decimals))
    causes = (("distribution_shift", {}), ("values_changed", {}), ("out_of_range", {}))
    return Truth(
        new, (column,), (*causes, ("format_changed", {}), ("rounded", {}), ("rescaled", {}))
    )


@sort("number")
def stretched(frame, column, rng, strength):
    values, factor = frame[column], (2.0, 1.5, 1.25)[strength]
    new = put(frame, column, (values.mean() + factor * (values - values.mean())).round(4))
    causes = (("rescaled", {"factor": factor}), rewritten("affine", factor=factor))
    return Truth(new, (column,), causes)


@sort("number")
def decimal_points(frame, column, rng, strength):
    share = (0.2, 0.05, 0.01)[strength]
    where = some(frame, column, rng, share)
    factor = float(rng.choice([10, 100, 1000]))
    causes = (("rescaled", {"factor": factor}), rewritten("decimal_point", factor=factor))
    causes += (("out_of_range", {"side": "above"}),)
    return Truth(put(frame, column, frame[column] * factor, where), (column,), causes, share)


@sort("number")
def wrapped(frame, column, rng, strength):
    values = frame[column]
    bits = (8, 16)[int(values.max() > 40_000)]
    if not pd.api.types.is_integer_dtype(values) or (values >= 2 ** (bits - 1)).mean() < 0.02:
        return None
    half = 2 ** (bits - 1)
    new = put(frame, column, (values + half) % 2**bits - half)
    causes = (rewritten("wrapped", bits=bits), ("out_of_range", {"side": "below"}))
    causes += (("shifted", {"shift": -(2**bits)}),)
    return Truth(new, (column,), causes)


@sort("number")
def far_out(frame, column, rng, strength):
    places = rng.choice(np.flatnonzero(frame[column].notna()), (30, 8, 3)[strength], replace=False)
    where = np.isin(np.arange(len(frame)), places)
    top = float(frame[column].abs().max())
    values = np.round(top * rng.uniform(20, 60, len(frame)), 1)
    causes = (("out_of_range", {"side": "above", "rows": int(where.sum())}),)
    causes += (("values_changed", {"rows": int(where.sum())}),)
    return Truth(put(frame, column, values, where), (column,), causes)


@sort("number")
def negative_never_seen(frame, column, rng, strength):
    if not frame[column].min() > 0:
        return None
    places = rng.choice(np.flatnonzero(frame[column].notna()), (40, 10, 3)[strength], replace=False)
    where = np.isin(np.arange(len(frame)), places)
    causes = (
        ("out_of_range", {"side": "below", "rows": int(where.sum())}),
        rewritten("sign_flipped"),
    )
    return Truth(put(frame, column, -frame[column], where), (column,), causes)


@sort("number")
def part_shifted(frame, column, rng, strength):
    share = (0.5, 0.3, 0.15)[strength]
    by = float(f"{(4, 3, 2.5)[strength] * size_of(frame[column]):.2g}")
    where = some(frame, column, rng, share)
    causes = (("shifted", {"shift": by}), rewritten("shifted", amount=by))
    causes += (("part_shifted", {"shift": by}),)
    return Truth(put(frame, column, frame[column] + by, where), (column,), causes, share)


def _in_a_level(frame, column, rng, share):
    """Rows of a level that holds about a share of them; None without such a level."""
    for by in rng.permutation([n for n in columns_of(frame, "level") if n != column]):
        shares = frame[by].value_counts(normalize=True)
        fit = shares.index[(shares > share / 2) & (shares < min(2 * share, 0.6))]
        if len(fit):
            return (frame[by] == rng.choice(fit)).to_numpy()
    return None


def _in_a_range(frame, column, rng, share):
    """Rows with values of a quantity or dates between two of their quantiles."""
    usable = [*columns_of(frame, "number"), *columns_of(frame, "date")]
    names = [n for n in usable if n != column]
    if not names:
        return None
    values = frame[str(rng.choice(names))]
    first = rng.uniform(0, 1 - share)
    return values.between(values.quantile(first), values.quantile(first + share)).to_numpy()


def _moved_there(frame, column, rng, strength, where):
    """A factor or a shift of the rows of a place."""
    where = where & frame[column].notna().to_numpy()
    if not 25 < where.sum() < 0.7 * len(frame):
        return None
    if rng.random() < 0.5:
        factor = float((100, 10, 2.20462)[strength])
        causes = (("rescaled", {"factor": factor}), rewritten("scaled", factor=factor))
        causes += (rewritten("decimal_point", factor=factor),)
        new = put(frame, column, frame[column] * factor, where)
    else:
        by = float(f"{(4, 2, 1)[strength] * size_of(frame[column]):.2g}")
        causes = (("shifted", {"shift": by}), rewritten("shifted", amount=by))
        new = put(frame, column, frame[column] + by, where)
    return Truth(new, (column,), causes, rows=where)


@sort("number")
def moved_in_a_level(frame, column, rng, strength):
    where = _in_a_level(frame, column, rng, (0.4, 0.2, 0.1)[strength])
    return None if where is None else _moved_there(frame, column, rng, strength, where)


@sort("number")
def moved_in_a_range(frame, column, rng, strength):
    where = _in_a_range(frame, column, rng, (0.4, 0.2, 0.1)[strength])
    return None if where is None else _moved_there(frame, column, rng, strength, where)


@sort("number")
def moved_where_two_hold(frame, column, rng, strength):
    one = _in_a_level(frame, column, rng, 0.4)
    other = _in_a_range(frame, column, rng, (0.6, 0.4, 0.3)[strength])
    if one is None or other is None:
        return None
    return _moved_there(frame, column, rng, strength, one & other)


@sort("any")
def missing_in_a_range(frame, column, rng, strength):
    where = _in_a_range(frame, column, rng, (0.3, 0.15, 0.07)[strength])
    if where is None:
        return None
    causes = (("missing_increased", {}), rewritten("emptied"))
    return Truth(put(frame, column, None, where), (column,), causes, rows=where)


@sort("level")
def one_level_in_a_range(frame, column, rng, strength):
    where = _in_a_range(frame, column, rng, (0.4, 0.2, 0.1)[strength])
    if where is None:
        return None
    level = str(rng.choice(frame[column].dropna().astype(str).unique()))
    causes = (("became_constant", {"value": level}), rewritten("overwritten", value=level))
    causes += (("category_shift", {"level": level}),)
    texts = put(frame, column, frame[column].astype(object))
    return Truth(put(texts, column, level, where), (column,), causes, rows=where)


@sort("number")
def swapped_with_another(frame, column, rng, strength):
    others = [n for n in columns_of(frame, "number") if n != column]
    if not others:
        return None
    other = str(rng.choice(others))
    where = rng.random(len(frame)) < (1.0, 0.5, 0.2)[strength]
    new = put(put(frame, column, frame[other], where), other, frame[column], where)
    causes = (("swapped", {}), rewritten("other_column"))
    return Truth(new, (column, other), causes)


@sort("number")
def shuffled(frame, column, rng, strength):
    where = rng.random(len(frame)) < (1.0, 0.7, 0.4)[strength]
    values = frame[column].to_numpy().copy()
    values[where] = rng.permutation(values[where])
    return Truth(
        put(frame, column, values), (column,), (("association_lost", {}), ("values_changed", {}))
    )


@sort("number")
def with_unit(frame, column, rng, strength):
    where = some(frame, column, rng, (1.0, 0.3, 0.05)[strength])
    texts = frame[column].map("{:g} kg".format, na_action="ignore")
    new = put(put(frame, column, frame[column].astype(object)), column, texts, where)
    codes = ("numbers_as_text", "format_changed", "dtype_changed", "mixed_types", "retyped")
    return Truth(new, (column,), tuple((code, {}) for code in codes[: 2 if strength == 0 else 5]))


@sort("number")
def decimal_comma(frame, column, rng, strength):
    if (frame[column] % 1 != 0).mean() < 0.3:
        return None
    texts = frame[column].map("{:g}".format, na_action="ignore").str.replace(".", ",")
    new = put(frame, column, texts)
    codes = ("numbers_as_text", "format_changed", "dtype_changed", "retyped")
    return Truth(new, (column,), tuple((code, {}) for code in codes))


@sort("number")
def infinite(frame, column, rng, strength):
    where = some(frame, column, rng, (0.1, 0.02, 0.004)[strength])
    new = put(put(frame, column, frame[column].astype(float)), column, np.inf, where)
    return Truth(new, (column,), (("infinite_values_new", {}), ("infinite_values", {})))


def _level(frame, column, rng, strength):
    counts = frame[column].value_counts()
    return counts.index[min((0, 1, len(counts) - 1)[strength], len(counts) - 1)]


@sort("level")
def relabelled(frame, column, rng, strength):
    level = _level(frame, column, rng, strength)
    new = frame[column].astype(object).replace({level: "group one"})
    causes = (
        ("relabelled", {"old_levels": str(level), "new_levels": "group one"}),
        rewritten("mapped"),
    )
    causes += (rewritten("overwritten", value="group one"),)
    return Truth(put(frame, column, new), (column,), causes)


@sort("level")
def all_coded(frame, column, rng, strength):
    levels = list(dict.fromkeys(frame[column].dropna()))
    kept = levels[: (len(levels), max(len(levels) // 2, 2), 1)[strength]]
    codes = {level: f"c{i}" for i, level in enumerate(kept)}
    new = frame[column].astype(object).replace(codes)
    causes = (("relabelled", {}), rewritten("mapped"), rewritten("overwritten"))
    return Truth(put(frame, column, new), (column,), causes)


@sort("level")
def upper_case(frame, column, rng, strength):
    texts = frame[column].astype(object)
    where = some(frame, column, rng, (1.0, 0.3, 0.05)[strength])
    new = put(put(frame, column, texts), column, texts.map(lambda t: str(t).upper()), where)
    if new[column].equals(texts):
        return None
    return Truth(new, (column,), (("respelled", {}), rewritten("case"), ("similar_levels", {})))


@sort("level")
def blank_behind(frame, column, rng, strength):
    texts = frame[column].astype(object)
    where = some(frame, column, rng, (1.0, 0.3, 0.05)[strength])
    new = put(put(frame, column, texts), column, texts.map("{} ".format), where)
    return Truth(new, (column,), (("respelled", {}), rewritten("blanks"), ("similar_levels", {})))


@sort("level")
def misspelt(frame, column, rng, strength):
    level = next((t for t in frame[column].value_counts().index if len(str(t)) > 4), None)
    if level is None:
        return None
    where = (frame[column] == level).to_numpy() & (
        rng.random(len(frame)) < (0.9, 0.3, 0.08)[strength]
    )
    at = int(rng.integers(1, len(level) - 2))
    wrong = level[:at] + level[at + 1] + level[at] + level[at + 2 :]
    if wrong == level:
        return None
    new = put(put(frame, column, frame[column].astype(object)), column, wrong, where)
    causes = (("respelled", {}), rewritten("misspelt"), ("similar_levels", {}))
    return Truth(new, (column,), (*causes, rewritten("mapped")))


@sort("level")
def merged(frame, column, rng, strength):
    counts = frame[column].value_counts()
    one, other = counts.index[0], counts.index[(1, 2, 3)[strength] % len(counts)]
    if one == other or counts[other] < 10:
        return None
    new = put(frame, column, frame[column].astype(object).replace({other: one}))
    causes = (
        ("relabelled", {"old_levels": str(other), "new_levels": str(one)}),
        rewritten("mapped"),
    )
    causes += (("missing_levels", {"levels": str(other)}),)
    return Truth(new, (column,), causes)


@sort("level")
def exchanged(frame, column, rng, strength):
    counts = frame[column].value_counts()
    one, other = counts.index[0], counts.index[len(counts) - 1]
    if counts[one] < 1.5 * counts[other]:
        return None
    where = rng.random(len(frame)) < (1.0, 0.6, 0.3)[strength]
    texts = frame[column].astype(object)
    new = put(put(frame, column, texts), column, texts.replace({one: other, other: one}), where)
    causes = (("relabelled", {}), rewritten("mapped"))
    return Truth(new, (column,), causes)


@sort("level")
def new_level(frame, column, rng, strength):
    share = (0.3, 0.1, 0.02)[strength]
    texts = put(frame, column, frame[column].astype(object))
    new = put(texts, column, "newcomer", some(frame, column, rng, share))
    causes = (("new_levels", {"levels": "newcomer"}), rewritten("overwritten", value="newcomer"))
    return Truth(new, (column,), causes, share)


@sort("level")
def word_for_missing(frame, column, rng, strength):
    word = str(rng.choice(["unknown", "n/a", "?"]))
    if word in set(frame[column].dropna().astype(str)):
        return None
    share = (0.3, 0.1, 0.02)[strength]
    texts = put(frame, column, frame[column].astype(object))
    causes = (("sentinel_value_new", {"value": word}), rewritten("overwritten", value=word))
    return Truth(
        put(texts, column, word, some(frame, column, rng, share)), (column,), causes, share
    )


@sort("level")
def cut_short(frame, column, rng, strength):
    texts = frame[column].astype(object)
    longest = int(texts.dropna().map(len).max())
    length = max(int(longest * (0.4, 0.6, 0.8)[strength]), 2)
    new = texts.map(lambda t: t[:length], na_action="ignore")
    if (new != texts).sum() - texts.isna().sum() < 5 or new.nunique() < 2:
        return None
    causes = (("text_truncated", {"length": length}), rewritten("truncated", length=length))
    return Truth(put(frame, column, new), (column,), causes)


@sort("any")
def one_value_for_all(frame, column, rng, strength):
    if strength:
        return None
    value = frame[column].mode().iloc[0]
    return Truth(
        put(frame, column, value), (column,), (("became_constant", {}), rewritten("overwritten"))
    )


@sort("level")
def share_moved(frame, column, rng, strength):
    counts = frame[column].value_counts()
    texts = put(frame, column, frame[column].astype(object))
    where = (frame[column] == counts.index[0]).to_numpy()
    where = where & (rng.random(len(frame)) < (0.7, 0.3, 0.12)[strength])
    causes = (("category_shift", {"level": str(counts.index[0])}), rewritten("mapped"))
    causes += (("category_shift", {"level": str(counts.index[1])}),)
    causes += (("relabelled", {"old_levels": str(counts.index[0])}),)
    return Truth(put(texts, column, counts.index[1], where), (column,), causes)


@sort("date")
def days_off(frame, column, rng, strength):
    days = int((60, 12, 1)[strength] * rng.choice([-1, 1]))
    causes = (("dates_shifted", {"days": days}), rewritten("dates_shifted_day", amount=days))
    causes += (rewritten("dates_shifted_month"), rewritten("dates_shifted_year"))
    return Truth(put(frame, column, frame[column] + pd.Timedelta(days=days)), (column,), causes)


@sort("date")
def day_and_month(frame, column, rng, strength):
    def exchange(date):
        return date.replace(day=date.month, month=date.day) if date.day <= 12 else date

    where = some(frame, column, rng, (1.0, 0.5, 0.2)[strength])
    new = put(frame, column, frame[column].map(exchange, na_action="ignore"), where)
    if (new[column] != frame[column]).mean() < 0.02:
        return None
    causes = (("day_month_swapped", {}), rewritten("day_month_swapped"))
    return Truth(new, (column,), causes)


@sort("date")
def epoch(frame, column, rng, strength):
    where = some(frame, column, rng, (0.2, 0.05, 0.01)[strength])
    new = put(frame, column, pd.Timestamp(str(rng.choice(["1970-01-01", "1900-01-01"]))), where)
    return Truth(new, (column,), (("sentinel_value_new", {}), rewritten("overwritten")))


@sort("date")
def written_as_text(frame, column, rng, strength):
    pattern = ("%d.%m.%Y", "%m/%d/%Y", "%Y/%m/%d")[strength]
    new = put(frame, column, frame[column].dt.strftime(pattern))
    codes = ("dates_as_text", "format_changed", "dtype_changed")
    return Truth(new, (column,), tuple((code, {}) for code in codes))


@sort("clock")
def hours_off(frame, column, rng, strength):
    hours = int((6, 2, 1)[strength] * rng.choice([-1, 1]))
    causes = (("timezone_shifted", {"hours": hours}), rewritten("dates_shifted_hour", amount=hours))
    return Truth(put(frame, column, frame[column] + pd.Timedelta(hours=hours)), (column,), causes)


@sort("clock")
def time_lost(frame, column, rng, strength):
    where = some(frame, column, rng, (1.0, 0.4, 0.1)[strength])
    new = put(frame, column, frame[column].dt.normalize(), where)
    return Truth(new, (column,), (("time_of_day_lost", {}), rewritten("time_dropped")))


@sort("date")
def stretch_of_time_lost(frame, column, rng, strength):
    days = frame[column].dropna().sort_values()
    length = (0.3, 0.1, 0.04)[strength]
    first = rng.uniform(0.1, 0.9 - length)
    low, high = days.quantile(first), days.quantile(first + length)
    lost = frame[column].between(low, high)
    causes = (("rows_lost", {"by": column}), ("period_missing", {"by": column}))
    return Truth(frame[~lost].reset_index(drop=True), (column,), causes)


@sort("table")
def block_repeated(frame, column, rng, strength):
    length = int((0.3, 0.1, 0.02)[strength] * len(frame))
    first = int(rng.integers(0, len(frame) - length))
    new = pd.concat([frame, frame.iloc[first : first + length]], ignore_index=True)
    return Truth(new, (), (("new_duplicate_rows", {}), ("key_not_unique", {})))


@sort("table")
def rows_repeated(frame, column, rng, strength):
    where = rng.random(len(frame)) < (0.2, 0.05, 0.01)[strength]
    new = frame.loc[np.repeat(frame.index, 1 + where)].reset_index(drop=True)
    return Truth(new, (), (("new_duplicate_rows", {}), ("key_not_unique", {})))


@sort("table")
def rows_again_with_new_ids(frame, column, rng, strength):
    if "row" not in frame:
        return None
    length = int((0.3, 0.1, 0.03)[strength] * len(frame))
    again = frame.tail(length).assign(row=np.arange(90_001, 90_001 + length))
    new = pd.concat([frame, again], ignore_index=True)
    return Truth(new, (), (("reimported_rows", {}), ("new_duplicate_rows", {})))


@sort("level")
def level_lost(frame, column, rng, strength):
    counts = frame[column].value_counts()
    usable = counts.index[(counts > 20) & (counts < 0.7 * len(frame))]
    if not len(usable):
        return None
    level = str(rng.choice(usable))
    lost = (frame[column] == level) & (rng.random(len(frame)) < (1.0, 0.6, 0.35)[strength])
    causes = (("rows_lost", {"by": column, "level": level}), ("missing_levels", {"levels": level}))
    causes += (("category_shift", {"level": level}),)
    return Truth(frame[~lost].reset_index(drop=True), (column,), causes, None, (column, level))


@sort("table")
def end_lost(frame, column, rng, strength):
    new = frame.head(int((0.5, 0.8, 0.93)[strength] * len(frame)))
    return Truth(new.reset_index(drop=True), (), (("rows_lost", {}),))


@sort("table")
def rows_thinned(frame, column, rng, strength):
    new = frame[rng.random(len(frame)) < (0.4, 0.7, 0.88)[strength]]
    return Truth(new.reset_index(drop=True), (), (("rows_lost", {}),))


@sort("table")
def key_repeats(frame, column, rng, strength):
    if "row" not in frame:
        return None
    n = (100, 20, 4)[strength]
    places = rng.choice(len(frame) - 1, n, replace=False) + 1
    new = frame.copy()
    new.loc[places, "row"] = new["row"].to_numpy()[places - 1]
    causes = (("key_not_unique", {}), ("new_duplicate_ids", {}), ("identifier_repeats", {}))
    return Truth(new, ("row",), causes)


@sort("any")
def renamed(frame, column, rng, strength):
    name = (f"{column}_new", column.upper() + "2", "measure_a")[strength]
    causes = (("renamed", {"old_name": column, "new_name": name}),)
    return Truth(frame.rename(columns={column: name}), (name, column), causes)


@sort("any")
def dropped(frame, column, rng, strength):
    return None if strength else Truth(frame.drop(columns=column), (column,), (("removed", {}),))


@sort("any")
def copied(frame, column, rng, strength):
    if strength:
        return None
    return Truth(frame.assign(extra=frame[column]), ("extra",), (("added", {}),))


@sort("table")
def reordered(frame, column, rng, strength):
    if strength:
        return None
    names = [*frame.columns[:1], *frame.columns[1:][::-1]]
    return Truth(frame[names], (), (("reordered", {}),))


@sort("any")
def stored_as_text(frame, column, rng, strength):
    if strength or not pd.api.types.is_numeric_dtype(frame[column]):
        return None
    new = put(frame, column, frame[column].map(str, na_action="ignore"))
    codes = ("dtype_changed", "numbers_as_text", "format_changed")
    return Truth(new, (column,), tuple((code, {}) for code in codes))
