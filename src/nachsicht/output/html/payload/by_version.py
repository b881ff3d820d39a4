"""Counts of every version side by side, with the difference between the last two."""

from __future__ import annotations

from collections.abc import Sequence

from nachsicht.i18n import count, count_share, is_too_small, whole

#: What it is, the count of each version in words, the difference.
Row = tuple[str, list[str], str]


def counted(
    name: str, counts: Sequence[int | None], of: Sequence[int] = (), about: Sequence[bool] = ()
) -> Row:
    """A count in every version; a dash where it is not known.

    Parameters
    ----------
    name : str
        What is counted.
    counts : sequence of int or None
        By version.
    of : sequence of int, optional
        So many there could be; the share of these is reported too.
    about : sequence of bool, optional
        Whether the count is not exact.
    """
    texts = []
    for i, rows in enumerate(counts):
        text = "–" if rows is None else count(rows)
        if of and rows is not None:
            text += f" ({count_share(rows, of[i])})"
        texts.append(f"≈ {text}" if about and about[i] else text)
    told = not any(rows is not None and is_too_small(rows) for rows in counts[-2:])
    return name, texts, difference(counts) if told else ""


def columns_counted(name: str, columns: Sequence[int]) -> Row:
    """As `counted`, of columns, of which even a few may be told."""
    return name, list(map(whole, columns)), difference(columns)


def difference(counts: Sequence[int | None]) -> str:
    """The newest count less the one before, with its sign; empty where there is none."""
    newest, before = counts[-1], counts[-2] if len(counts) > 1 else None
    if newest is None or before is None:
        return ""
    if newest == before:
        return "–"
    return f"{'+' if newest > before else '−'}{whole(abs(newest - before))}"
