"""What was done to the cells of a column, read off pairs of old and new cell.

A rule holds for a pair or it does not; nothing is tested. Of all rules the one that holds for the
most pairs is taken; of several that hold for equally many, the first, which is the simplest.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Collection, Iterator, Sequence
from typing import Any

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from nachsicht.arrow.buffers import missing_in
from nachsicht.arrow.format import number_text
from nachsicht.arrow.numeric import as_numbers
from nachsicht.arrow.types import is_text
from nachsicht.comparison.causes.affine import FACTORS, OFFSETS, line_through
from nachsicht.model.comparison import Rewrite, RewriteRule
from nachsicht.model.findings import Fact

#: A rule must hold for this share of the rewritten cells; from the second on, for "nearly all".
LEAST_SHARE = 0.5
#: A simpler rule is taken if it holds for this part of those that another holds for.
_NEARLY_AS_MANY = 0.97
#: Pairs that show whether there is a rule, and those that its share is counted in, evenly drawn.
_FEW_PAIRS, _MOST_PAIRS = 1_000, 200_000
#: Fewer equal differences than this are a coincidence.
_FEWEST = 2
#: Widths of integers that numbers wrap around at.
_WIDTHS = (8, 16, 32)
#: Different pairs of texts that make a mapping, and levels that are listed.
_MOST_MAPPED, _LISTED = 50, 5
#: How near to a bound the nearest capped value lies, in parts of the middle one's distance: of
#: few values, evenly spread, the nearest is farther away.
_NEAR_BOUND, _OF_FEW = 0.1, 4.0
_DAY = 86_400_000_000
_UNITS = (("day", _DAY), ("hour", 3_600_000_000), ("minute", 60_000_000), ("second", 1_000_000))

#: Names and cells of other columns, at places among the cells.
Others = Callable[[NDArray[np.int64]], Sequence[tuple[str, Any]]]
#: A number as the rules write it.
_NUMBER = re.compile(r"-?\d+(\.\d+)?(e[-+]?\d+)?")
_Floats = NDArray[np.float64]
_Flags = NDArray[np.bool_]


class _Candidate(msgspec.Struct, frozen=True):
    rule: RewriteRule
    holds: _Flags
    facts: dict[str, Fact] = msgspec.field(default_factory=dict)


def explain_rewrite(
    cells: int,
    pairs_at: Callable[[NDArray[np.int64]], tuple[Any, Any]],
    others: Others = lambda _: (),
    known: Collection[str] = (),
) -> Rewrite | None:
    """The rule by which cells were rewritten, if one holds for most of them.

    Parameters
    ----------
    cells : int
        How many cells of a column differ in rows that both versions have.
    pairs_at : callable
        Takes places among these; returns the old and the new cells as Arrow arrays of one type.
    others : callable
        Takes places among the cells; returns names and cells of other columns in these rows, that
        can be compared with them.
    known : collection of str
        Levels that the older version has.

    Returns
    -------
    Rewrite or None
        Its ``rows`` are those among all the cells.
    """
    rule = None
    # Most columns that differ everywhere follow no rule, which a few of their cells show.
    for most in (_FEW_PAIRS, _MOST_PAIRS):
        if most == _FEW_PAIRS or cells > _FEW_PAIRS:
            places = np.linspace(0, cells - 1, min(cells, most)).astype(np.int64)
            rule = _explained(*pairs_at(places), places, others, known, cells)
        if rule is None:
            return None
    return rule


def left_as_it_is(rewrite: Rewrite, cells: Any) -> _Flags:
    """Which cells a rule would leave as they are, wherever it is applied."""
    gone = missing_in(cells)
    if rewrite.rule == "emptied":
        return gone
    if rewrite.rule == "filled":
        return ~gone
    value = rewrite.facts.get("value")
    if rewrite.rule == "overwritten" and is_text(cells.type):
        found: _Flags = gone | (np.asarray(cells.to_pylist(), object) == value)
        return found
    numbers = as_numbers(cells)
    return gone if numbers is None else np.logical_or(gone, _unmoved(rewrite, numbers[0]))


def _unmoved(rewrite: Rewrite, values: _Floats) -> _Flags:
    """Which numbers a rule leaves as they are; none where that is not plain."""
    text, step = str(rewrite.facts.get("value", "")), rewrite.facts.get("step")
    value = float(text) if _NUMBER.fullmatch(text) else np.nan
    found = np.zeros(len(values), bool)
    match rewrite.rule:
        case "overwritten":
            found = values == value
        case "capped":
            found = values <= value
        case "floored":
            found = values >= value
        case "scaled" | "decimal_point" | "sign_flipped":
            found = values == 0
        case "rounded" | "cut_off":
            assert isinstance(step, int | float)
            found = _on_grid(values / step)
    return found


def _on_grid(scaled: _Floats) -> _Flags:
    found: _Flags = np.abs(scaled - np.round(scaled)) <= 1e-6 * np.maximum(np.abs(scaled), 1)
    return found


def _explained(
    old: Any,
    new: Any,
    places: NDArray[np.int64],
    others: Others,
    known: Collection[str],
    cells: int,
) -> Rewrite | None:
    """The rule, read off the pairs at some places among the cells."""
    gone, came = missing_in(new), missing_in(old)
    both = ~gone & ~came
    candidates = [_Candidate("emptied", gone), _Candidate("filled", came, _filled(new, came))]
    if both.any():
        a, b = (side.filter(pa.array(both)) for side in (old, new))
        found = [*_rules(a, b, known), *_of_others(b, places[both], others)]
        candidates += [_spread_over(candidate, both) for candidate in found]
    return _best(candidates, cells)


def _best(candidates: Sequence[_Candidate], cells: int) -> Rewrite | None:
    counted = [(int(np.count_nonzero(each.holds)), each) for each in candidates]
    most = max(rows for rows, _ in counted)
    rows, best = next(entry for entry in counted if entry[0] >= _NEARLY_AS_MANY * most)
    examined = len(best.holds)
    if rows < LEAST_SHARE * examined or (rows < _FEWEST and not _plain_fact(best)):
        return None
    return Rewrite(
        rule=best.rule,
        rows=cells if rows == examined else round(rows * cells / examined),
        share=rows / examined,
        facts=best.facts,
    )


def _plain_fact(candidate: _Candidate) -> bool:
    """Rules without a constant of their own, which one cell is enough for."""
    return candidate.rule in ("emptied", "filled", "sign_flipped", "case", "blanks", "garbled")


def _spread_over(candidate: _Candidate, both: _Flags) -> _Candidate:
    holds = np.zeros(len(both), bool)
    holds[both] = candidate.holds
    return msgspec.structs.replace(candidate, holds=holds)


def _filled(new: Any, came: _Flags) -> dict[str, Fact]:
    """The one value that missing cells were filled with, if it is one."""
    values = pc.unique(new.filter(pa.array(came))).to_pylist()
    return {"value": _text_of(values[0])} if len(values) == 1 and came.sum() >= _FEWEST else {}


def _text_of(value: Any) -> str:
    return number_text(value) if isinstance(value, int | float) else str(value)


def _rules(a: Any, b: Any, known: Collection[str]) -> Iterator[_Candidate]:
    if pa.types.is_temporal(a.type) and not pa.types.is_duration(a.type):
        yield from _of_datetimes(a, b)
    elif is_text(a.type):
        yield from _of_texts(a, b, known)
        return
    else:
        one, other = as_numbers(a), as_numbers(b)
        if one and other:
            with np.errstate(all="ignore"):
                floats = one[0].astype(np.float64), other[0].astype(np.float64)
                yield from _of_numbers(*floats, (a, b))
            return
    yield from _overwritten(a, b)


def _overwritten(a: Any, b: Any) -> Iterator[_Candidate]:
    """One value over several others."""
    counts = pc.value_counts(b)
    top = int(np.argmax(counts.field("counts").to_numpy()))
    value = counts.field("values")[top]
    holds = np.asarray(pc.equal(b, value))
    replaced = a.filter(pa.array(holds))
    if len(pc.unique(replaced)) > 1:
        yield _Candidate("overwritten", holds, {"value": _text_of(value.as_py())})


def _of_others(b: Any, places: NDArray[np.int64], others: Others) -> Iterator[_Candidate]:
    """The values of another column."""
    if len(pc.unique(b)) < 3:
        return
    for name, beside in others(places):
        cells = beside, b
        if beside.type != b.type:
            alike = pa.float64() if as_numbers(b) and not pa.types.is_temporal(b.type) else b.type
            cells = tuple(side.cast(alike, safe=False) for side in cells)
        equal = np.asarray(pc.fill_null(pc.equal(*cells), False))
        yield _Candidate("other_column", equal, {"from_column": name})


def _most_frequent(values: _Floats) -> float | None:
    """The value that occurs most often, to ten digits; None if none occurs twice."""
    finite = values[np.isfinite(values)]
    if not len(finite):
        return None
    size = float(np.abs(finite).max()) or 1.0
    rounded = np.round(finite / size, 9)
    distinct, counts = np.unique(rounded, return_counts=True)
    if counts.max() < min(_FEWEST, len(finite)):
        return None
    at = np.flatnonzero(rounded == distinct[int(np.argmax(counts))])
    return float(np.median(finite[at]))


def _of_numbers(a: _Floats, b: _Floats, values: tuple[Any, Any]) -> Iterator[_Candidate]:
    yield _Candidate("sign_flipped", (b == -a) & (a != 0))
    yield from _limited(a, b)
    yield from _overwritten(*values)
    shift = _most_frequent(b - a)
    if shift:
        holds = np.abs(b - a - shift) <= 1e-9 * np.maximum(np.abs(a), np.abs(b))
        wrap = _wrapped(a, b)
        if wrap:
            yield wrap
        yield _Candidate("shifted", holds, {"amount": _clean(shift)})
    yield from _rounded(a, b)
    # What was computed was rounded to the decimals that it is written with.
    off = 1e-9 * np.maximum(np.abs(a), np.abs(b)) + 0.5000001 * _step(b)
    if np.median(np.abs(b - a)) > 2 * np.median(off):
        yield from _scaled(a, b, off)
        yield from _affine(a, b, off)


def _step(values: _Floats) -> float:
    """One unit of the last decimal that the values are written with; 0 beyond six."""
    for decimals in range(7):
        scaled = values * 10.0**decimals
        if np.all(np.abs(scaled - np.round(scaled)) <= 1e-6 * np.maximum(np.abs(scaled), 1)):
            return float(10.0**-decimals)
    return 0.0


def _clean(value: float) -> float:
    """Without the noise of floating point."""
    return float(f"{value:.10g}")


def _scaled(a: _Floats, b: _Floats, off: _Floats) -> Iterator[_Candidate]:
    """One factor; or powers of ten that are not all the same."""
    ratio = b / a
    usable = np.isfinite(ratio) & (ratio != 0)
    if not usable.any():
        return
    guesses = [_most_frequent(ratio[usable]), float(np.median(ratio[usable]))]
    # Large values tell a factor more exactly than small ones, which are rounded more.
    large = usable & (np.abs(a) >= np.quantile(np.abs(a[usable]), 0.9))
    guesses.append(float(np.median(ratio[large])))
    exponents = np.round(np.log10(np.abs(np.where(usable, ratio, 1))))
    for guess in dict.fromkeys(guesses):
        if guess is None or guess in (1.0, -1.0):
            continue
        for factor in (_known_factor(guess), guess):
            holds = usable & (np.abs(b - factor * a) <= off + 1e-9 * np.abs(b))
            power = np.log10(abs(factor))
            if abs(power - round(power)) < 1e-9 and factor > 0:
                yield _Candidate("decimal_point", holds, {"factor": _clean(factor)})
            elif holds.any():
                yield _Candidate("scaled", holds, {"factor": _clean(factor)})
    mixed = usable & (np.abs(b - a * 10.0**exponents) <= off) & (exponents != 0)
    if len(np.unique(exponents[mixed])) > 1:
        yield _Candidate("decimal_points", mixed)


def _known_factor(guess: float) -> float:
    """The conversion that a factor is, if it is nearly one."""
    known = min((float(text) for text in FACTORS), key=lambda factor: abs(factor / guess - 1))
    return known if abs(known / guess - 1) < 2e-3 else guess


def _affine(a: _Floats, b: _Floats, off: _Floats) -> Iterator[_Candidate]:
    """A factor and an offset, by two values far apart."""
    if len(a) < 4 or np.ptp(a) == 0:
        return
    maps = [(factor, offset) for factor, offset, _ in OFFSETS if factor != 1.0]
    low, high = int(np.argmin(a)), int(np.argmax(a))
    factor = float((b[high] - b[low]) / (a[high] - a[low]))
    maps.append((factor, float(b[low] - factor * a[low])))
    maps.append(line_through(a, b))
    for factor, offset in maps:
        if not np.isfinite(factor) or factor in (0.0, 1.0) or not offset:
            continue
        holds = np.abs(b - (factor * a + offset)) <= 1.5 * off + 1e-9 * abs(offset)
        if len(np.unique(b[holds])) > 3:
            yield _Candidate("affine", holds, {"factor": _clean(factor), "offset": _clean(offset)})


def _rounded(a: _Floats, b: _Floats) -> Iterator[_Candidate]:
    """To a coarser step: nearest, or cut off."""
    for step in (0.001, 0.01, 0.05, 0.1, 0.25, 0.5, 1.0, 5.0, 10.0, 50.0, 100.0, 1000.0):
        scaled = b / step
        on_grid = _on_grid(scaled)
        near = on_grid & (np.abs(b - a) <= step * 0.5 * (1 + 1e-6))
        cut = on_grid & (
            np.abs(np.trunc(a / step + np.sign(a) * 1e-9) * step - b) <= 1e-9 * step + 1e-9
        )
        if near.sum() >= _FEWEST and len(np.unique(b[near])) > 2:
            yield _Candidate("rounded", near, {"step": step})
        if cut.sum() >= _FEWEST and len(np.unique(b[cut])) > 2:
            yield _Candidate("cut_off", cut, {"step": step})


def _limited(a: _Floats, b: _Floats) -> Iterator[_Candidate]:
    """All beyond a bound put on the bound."""
    bound = _most_frequent(b)
    if bound is None:
        return
    at = b == bound
    if len(np.unique(a[at])) > 1:
        # What was capped lies close beyond the bound, too; a value written over lies far from all.
        away = np.abs(a[at] - bound)
        near = away.min() <= max(_NEAR_BOUND, _OF_FEW / len(away)) * np.median(away)
        near |= away.min() <= np.diff(np.unique(a[at])).min() * (
            1 + 1e-9
        )  # the next value there is
        sides: tuple[tuple[RewriteRule, _Flags], ...] = (
            ("capped", at & (a > bound)),
            ("floored", at & (a < bound)),
        )
        for rule, holds in sides:
            if near and holds.sum() == at.sum():
                yield _Candidate(rule, holds, {"value": number_text(bound)})


def _wrapped(a: _Floats, b: _Floats) -> _Candidate | None:
    """Numbers beyond what an integer of a few bits holds, and what such an integer becomes."""
    for width in _WIDTHS:
        size = 2.0**width
        signed = (b >= -size / 2) & (b < size / 2) & (a >= size / 2)
        unsigned = (b >= 0) & (b < size) & ((a >= size) | (a < 0))
        holds = ((a - b) % size == 0) & (a != b)
        for fits in (holds & signed, holds & unsigned):
            if fits.any() and fits.sum() == holds.sum():
                return _Candidate("wrapped", fits, {"bits": width})
    return None


def _of_datetimes(a: Any, b: Any) -> Iterator[_Candidate]:
    if pa.types.is_time(a.type):
        ticks = [side.cast(pa.time64("us"), safe=False).cast(pa.int64()) for side in (a, b)]
    else:
        zone = getattr(a.type, "tz", None)
        a, b = (pc.local_timestamp(side) if zone else side for side in (a, b))
        a, b = (side.cast(pa.timestamp("us"), safe=False) for side in (a, b))
        ticks = [side.cast(pa.int64()) for side in (a, b)]
    old, new = (np.asarray(side) for side in ticks)
    steps, counts = np.unique(new - old, return_counts=True)
    step = int(steps[int(np.argmax(counts))])
    if counts.max() >= min(_FEWEST, len(old)):
        unit, size = next(((u, s) for u, s in _UNITS if step % s == 0), ("second", 1_000_000))
        amount: Fact = step / size if step % size else step // size
        yield _Candidate("dates_shifted", new - old == step, {"amount": amount, "unit": unit})
    if pa.types.is_time(a.type):
        return
    parts = [[np.asarray(part(side)) for part in (pc.year, pc.month, pc.day)] for side in (a, b)]
    (year, month, day), (new_year, new_month, new_day) = parts
    months, counts = np.unique(12 * (new_year - year) + new_month - month, return_counts=True)
    most = int(months[int(np.argmax(counts))])
    same_day = (new_day == day) | ((new_day < day) & (new_day >= 28))
    same_time = old % _DAY == new % _DAY
    if most:
        moved = (12 * (new_year - year) + new_month - month == most) & same_day & same_time
        unit, size = ("year", 12) if most % 12 == 0 else ("month", 1)
        yield _Candidate("dates_shifted", moved, {"amount": most // size, "unit": unit})
    swapped = (new_day == month) & (new_month == day) & (year == new_year) & (day != month)
    yield _Candidate("day_month_swapped", swapped)
    dropped = (new % _DAY == 0) & (old % _DAY != 0) & (old // _DAY == new // _DAY)
    yield _Candidate("time_dropped", dropped)


def _of_texts(a: Any, b: Any, known: Collection[str]) -> Iterator[_Candidate]:
    """Rules are tried on the different pairs of texts, each with its rows."""
    codes = [pc.dictionary_encode(side) for side in (a, b)]
    old, new = ([str(text) for text in side.dictionary.to_pylist()] for side in codes)
    joint = np.asarray(codes[0].indices).astype(np.int64) * len(new) + np.asarray(codes[1].indices)
    distinct, of_pair = np.unique(joint, return_inverse=True)
    pairs = [(old[code // len(new)], new[code % len(new)]) for code in distinct.tolist()]
    for rule, holds in _TEXT_RULES:
        # One level in the place of another is no misspelling of it.
        each = np.array([b not in known and holds(a, b) for a, b in pairs], bool)
        if each.any():
            yield _Candidate(rule, each[of_pair], _text_facts(rule, pairs, each))
    yield from _overwritten(a, b)
    yield from _mapped(pairs, of_pair)


def _text_facts(
    rule: RewriteRule, pairs: Sequence[tuple[str, str]], each: _Flags
) -> dict[str, Fact]:
    if rule != "truncated":
        return {}
    return {"length": max(len(pairs[i][1]) for i in np.flatnonzero(each).tolist())}


def _mapped(pairs: Sequence[tuple[str, str]], of_pair: NDArray[np.int64]) -> Iterator[_Candidate]:
    """Every old value always the same new one."""
    counts = np.bincount(of_pair, minlength=len(pairs))
    usual = Counter[tuple[str, str]]()
    best: dict[str, tuple[int, int]] = {}
    for i, (before, _) in enumerate(pairs):
        best[before] = max(best.get(before, (0, 0)), (int(counts[i]), -i))
    chosen = {-i for _, i in best.values()}
    rows = {i: int(counts[i]) for i in chosen if counts[i] >= _FEWEST}
    if not rows or len(rows) > _MOST_MAPPED:
        return
    usual.update({pairs[i]: n for i, n in rows.items()})
    holds = np.isin(of_pair, list(rows))
    listed = [pair for pair, _ in usual.most_common(_LISTED)]
    yield _Candidate(
        "mapped",
        holds,
        {
            "old_levels": tuple(before for before, _ in listed),
            "new_levels": tuple(after for _, after in listed),
            "levels": len(rows),
        },
    )


def _is_case(old: str, new: str) -> bool:
    return old.casefold() == new.casefold()


def _is_blanks(old: str, new: str) -> bool:
    return "".join(old.split()) == "".join(new.split())


def _is_zeros(old: str, new: str) -> bool:
    return old.lstrip("0") == new.lstrip("0") and old.strip().isdigit()


def _is_truncated(old: str, new: str) -> bool:
    return 0 < len(new) < len(old) and old.startswith(new)


def _is_garbled(old: str, new: str) -> bool:
    """UTF-8 read as a single-byte encoding, the other way round, or letters lost."""
    if "?" in new or "\ufffd" in new:
        plain = [sign for sign in old if sign.isascii()]
        return not old.isascii() and [s for s in new if s not in "?\ufffd"] == [
            s for s in plain if s not in "?\ufffd"
        ]
    return any(_read_as(old, encoding) == new for encoding in ("cp1252", "latin-1"))


def _read_as(text: str, encoding: str) -> str:
    return text.encode("utf-8").decode(encoding, "replace") if not text.isascii() else ""


def _is_misspelt(old: str, new: str) -> bool:
    from rapidfuzz.distance import OSA

    words = 2 * sum(map(str.isalpha, old)) > len(old) >= 4  # numbers and codes have no spelling
    return words and OSA.distance(old, new, score_cutoff=2) <= (1 if len(old) < 8 else 2)


_TEXT_RULES: tuple[tuple[RewriteRule, Callable[[str, str], bool]], ...] = (
    ("blanks", _is_blanks),
    ("case", _is_case),
    ("leading_zeros", _is_zeros),
    ("garbled", _is_garbled),
    ("truncated", _is_truncated),
    ("misspelt", _is_misspelt),
)
