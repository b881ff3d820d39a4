"""What the page is given of relations: the matrix in the order of its groups, strongest first."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from nachsicht.associations.all_pairs import FEWEST_ROWS
from nachsicht.i18n import count, number, phrase, whole
from nachsicht.model.comparison import ComparisonDocument, RelationChange
from nachsicht.model.profile import ProfileDocument, Relation
from nachsicht.output.html.payload.stats_table import neighbours

#: Pairs that are listed.
_LISTED = 10
_NEGATIVE = 5
_OF_ONE = 5
#: Figures have two decimals: what is farther off is said.
_LEAST_SHOWN = 0.005
#: Neighbouring rows are so alike that errors are too small; columns of which that is said.
_ALIKE, _NAMED = 0.5, 8
#: Columns of the matrix; of a wide table those of the strongest relations.
MOST_IN_MATRIX = 60


def relations_payload(document: ComparisonDocument) -> dict[str, Any] | None:
    """Relations of the newest version, with those of the one before; None without pairs."""
    newest = document.versions[-1]
    if not newest.relations.pairs:
        return None
    names = _in_matrix(newest)
    known = {column.name for column in newest.columns}
    steps = [across.names[-2:] for across in document.columns if len(across.names) > 1]
    renamed = {names[0]: names[1] for names in steps if names[0] and names[1]}
    before = document.versions[-2] if len(document.versions) > 1 else None
    return {
        "names": [name for name in names if name in known],
        "new": _matrix(newest.relations.pairs, names, {}),
        "old": _matrix(before.relations.pairs, names, renamed)
        if before and document.grouped_by is None
        else None,
        "summary": _summary(newest),
        "strongest": [_pair(pair) for pair in _strongest(newest) if pair.value > 0][:_LISTED],
        "negative": [_pair(pair) for pair in _strongest(newest) if pair.value < 0][:_NEGATIVE],
        "further": _further(newest),
        "groups": [
            phrase("page.relation_group", list=", ".join(g)) for g in newest.relations.groups
        ],
        "unrelated": newest.relations.unrelated,
        "excluded": [
            f"{name} ({_reason(reason)})" for name, reason in newest.relations.excluded.items()
        ],
    }


def no_relations(document: ComparisonDocument) -> str | None:
    """Why no pair of columns has a strength; None where some have."""
    newest = document.versions[-1]
    if newest.relations.pairs or len(newest.columns) < 2:
        return None
    return phrase("page.no_relations", n=FEWEST_ROWS)


def relations_by_column(version: ProfileDocument) -> dict[str, list[tuple[str, str, str, str]]]:
    """The strongest relations of each column: the other one, measure, strength, its error."""
    found: dict[str, list[tuple[str, str, str, str]]] = {}
    for pair in _strongest(version):
        for name, other in ((pair.x, pair.y), (pair.y, pair.x)):
            own = found.setdefault(name, [])
            if len(own) < _OF_ONE:
                own.append((other, pair.measure, number(pair.value, 2), _uncertainty(pair)))
    return found


def _further(version: ProfileDocument) -> list[str]:
    """What is not shown of all pairs, and why."""
    relations, found = version.relations, []
    if relations.too_few:
        pairs = [f"{p.x} × {p.y} ({whole(p.rows)})" for p in relations.too_few]
        more = ["…"] if relations.total_too_few > len(pairs) else []
        n = relations.total_too_few
        listed = ", ".join(pairs + more)
        found.append(phrase("page.too_few_rows", n=n, fewest=FEWEST_ROWS, list=listed))
    alike = [name for name, value in neighbours(version).items() if value >= _ALIKE]
    if alike:
        listed = ", ".join(alike[:_NAMED]) + (", …" if len(alike) > _NAMED else "")
        found.append(phrase("page.neighbours_alike", list=listed, least=number(_ALIKE)))
    if relations.merged_levels:
        listed = ", ".join(f"{name} ({n})" for name, n in sorted(relations.merged_levels.items()))
        found.append(phrase("page.levels_lumped", list=listed))
    if relations.sampled_rows < relations.rows:
        found.append(phrase("page.relations_drawn", rows=whole(relations.sampled_rows)))
    if len(relations.pairs) < relations.total_pairs:
        left = relations.total_pairs - len(relations.pairs)
        found.append(
            phrase("page.pairs_left_out", n=whole(left), weakest=number(relations.weakest, 2))
        )
    if len(relations.order) > MOST_IN_MATRIX:
        left = len(relations.order) - MOST_IN_MATRIX
        found.append(phrase("page.matrix_left_out", n=whole(left)))
    return found


def _in_matrix(version: ProfileDocument) -> tuple[str, ...]:
    """Columns of the matrix in the order of their groups: those of the strongest relations."""
    order = version.relations.order
    if len(order) <= MOST_IN_MATRIX:
        return order
    chosen: set[str] = set()
    for pair in _strongest(version):
        if len(chosen | {pair.x, pair.y}) > MOST_IN_MATRIX:
            break
        chosen |= {pair.x, pair.y}
    return tuple(name for name in order if name in chosen)


def changes_payload(change: RelationChange, labels: tuple[str, str]) -> dict[str, Any]:
    """A relation that changed beyond chance."""
    return {
        "labels": labels,
        "x": change.x,
        "y": change.y,
        "measure": change.measure,
        "old": number(change.old_value, 2),
        "new": number(change.new_value, 2),
    }


def _strongest(version: ProfileDocument) -> list[Relation]:
    return sorted(version.relations.pairs, key=lambda pair: (-abs(pair.value), pair.x, pair.y))


def _pair(pair: Relation) -> tuple[str, str, str, str, str, str]:
    return (
        pair.x,
        pair.y,
        pair.measure,
        number(pair.value, 2),
        _uncertainty(pair),
        count(pair.rows),
    )


def _uncertainty(pair: Relation) -> str:
    return uncertainty(pair.std_error, pair.error_bound)


def uncertainty(std_error: float, bound: float = 0.0) -> str:
    """How far off a figure may be: two standard errors and a bound; nothing where it is little."""
    off = 2 * std_error + bound
    return f"± {number(off, 1)}" if off >= _LEAST_SHOWN else ""


def _summary(version: ProfileDocument) -> str:
    relations = version.relations
    return phrase(
        "page.relations_summary",
        n=relations.total_pairs,
        pairs=whole(relations.total_pairs),
        median=number(relations.median or 0.0, 2),
        rows=count(relations.rows),
    )


def _matrix(
    pairs: tuple[Relation, ...], names: tuple[str, ...], renamed: Mapping[str, str]
) -> list[list[float | None]]:
    """Strengths by name and name; None where a pair has none."""
    places = {name: i for i, name in enumerate(names)}
    matrix: list[list[float | None]] = [[None] * len(names) for _ in names]
    for pair in pairs:
        one = places.get(renamed.get(pair.x, pair.x))
        other = places.get(renamed.get(pair.y, pair.y))
        if one is not None and other is not None:
            matrix[one][other] = matrix[other][one] = round(pair.value, 3)
    return matrix


def _reason(code: str) -> str:
    return phrase(f"excluded.{code}")
