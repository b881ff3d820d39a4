"""What the page is given of pairs that are drawn, of components, and of columns over time."""

from __future__ import annotations

from typing import Any

import msgspec

from nachsicht.i18n import number, percent, phrase, whole
from nachsicht.model.comparison import ComparisonDocument
from nachsicht.model.pair_plots import PairView, TimeView
from nachsicht.model.profile import ProfileDocument, Relation
from nachsicht.output.html.payload.associations import uncertainty

#: Columns that are tied so strongly say the same.
_SAME = 0.98
#: Columns of the table of loadings.
_LOADINGS = 40


def pairs_payload(document: ComparisonDocument) -> list[dict[str, Any]]:
    """Every pair that a version draws: its view in each version, and what is said of it."""
    versions = document.versions
    own = [_newest_names(document, i) for i in range(len(versions))]
    views: dict[tuple[str, str], list[PairView | None]] = {}
    for i, version in enumerate(versions):
        for view in version.pairs:
            one, other = own[i].get(view.x, view.x), own[i].get(view.y, view.y)
            # A pair may lie the other way round where a column became another kind.
            key = (other, one) if (other, one) in views else (one, other)
            views.setdefault(key, [None] * len(versions))[i] = view
    relations = [_relations_of(version, own[i]) for i, version in enumerate(versions)]
    found = [
        {
            "x": one,
            "y": other,
            "views": [msgspec.to_builtins(v.view, str_keys=True) if v else None for v in drawn],
            "facts": [
                _facts(side.get(frozenset((one, other))), v, one)
                for side, v in zip(relations, drawn, strict=True)
            ],
            "split_by": drawn[-1].split_by if drawn[-1] else None,
            "facets": [
                [part.level, whole(part.rows), msgspec.to_builtins(part.view)]
                for part in (drawn[-1].facets if drawn[-1] else ())
            ],
        }
        for (one, other), drawn in views.items()
    ]
    return [_short(found[i]) for i in _order(document, list(views), relations[-1])]


def _order(
    document: ComparisonDocument,
    pairs: list[tuple[str, str]],
    relations: dict[frozenset[str], Relation],
) -> list[int]:
    """Places of the pairs, those that changed first, then the strongest.

    Pairs that say the same come last: there is nothing to see.
    """
    changed = [frozenset((change.x, change.y)) for change in document.relations]

    def rank(i: int) -> tuple[int, float]:
        pair = frozenset(pairs[i])
        strength = abs(relations[pair].value) if pair in relations else 0.0
        if pair in changed:
            return changed.index(pair) - len(changed), 0.0
        return int(strength >= _SAME), -strength

    return sorted(range(len(pairs)), key=rank)


def _newest_names(document: ComparisonDocument, version: int) -> dict[str, str]:
    return {name: c.name for c in document.columns if (name := c.names[version])}


def _relations_of(
    version: ProfileDocument, names: dict[str, str]
) -> dict[frozenset[str], Relation]:
    return {
        frozenset((names.get(pair.x, pair.x), names.get(pair.y, pair.y))): pair
        for pair in version.relations.pairs
    }


def _facts(
    relation: Relation | None, view: PairView | None, one: str
) -> list[tuple[str, str, str]]:
    """Code of the term, figure and how far off it may be, of a pair in one version."""
    if relation is None:
        return []
    off = uncertainty(relation.std_error, relation.error_bound)
    facts = [(relation.measure, number(relation.value, 2), off)]
    if relation.pearson is not None:
        facts.append(("pearson", number(relation.pearson, 2), ""))
    if relation.kendall is not None:
        off = uncertainty(relation.kendall_error_bound)
        facts.append(("kendall", number(relation.kendall, 2), off))
    forth, back = relation.x_predicts_y, relation.y_predicts_x
    if relation.x != one:
        forth, back = back, forth
    for code, share in (("explains_forth", forth), ("explains_back", back)):
        if share is not None:
            facts.append((code, percent(max(share, 0.0)), ""))
    facts.append(("rows", whole(relation.rows), ""))
    if view is not None and view.rows < relation.rows:
        facts.append(("drawn_rows", whole(view.rows), ""))
    return facts


def components_payload(document: ComparisonDocument) -> dict[str, Any] | None:
    """Components of the newest version, with all versions in their plane."""
    components = document.components
    if components is None:
        return None
    planes = document.pca_scores or (components.scores,)
    shown = range(min(len(components.loadings), 3))
    strongest = sorted(
        range(len(components.columns)),
        key=lambda i: -max(abs(components.loadings[k][i]) for k in shown),
    )
    return {
        "explained": [percent(share) for share in components.explained_variance[:10]],
        "shares": [round(share, 4) for share in components.explained_variance[:10]],
        "sentence": phrase(
            "page.components_sentence",
            n=whole(len(components.columns)),
            rows=whole(components.rows),
            first=percent(components.explained_variance[0]),
            both=percent(sum(components.explained_variance[:2])),
        ),
        "excluded": components.excluded,
        "loadings": [
            [
                components.columns[i],
                [(round(components.loadings[k][i], 3)) for k in shown],
            ]
            for i in strongest[:_LOADINGS]
        ],
        "scores": [_short(msgspec.to_builtins(plane)) if plane else None for plane in planes],
    }


def time_payload(document: ComparisonDocument) -> dict[str, Any] | None:
    """Every column over the moment column, all versions along one axis of time."""
    sides = [version.over_time for version in document.versions]
    newest = sides[-1]
    if newest is None:
        return None
    own = [_newest_names(document, i) for i in range(len(sides))]
    columns: dict[str, list[TimeView | None]] = {}
    for i, side in enumerate(sides):
        for name, view in side.views.items() if side else ():
            columns.setdefault(own[i].get(name, name), [None] * len(sides))[i] = view
    relations = document.versions[-1].relations
    drawn = relations.sampled_rows < relations.rows
    return {
        "time_column": newest.time_column,
        "among": phrase("page.of_drawn", rows=whole(relations.sampled_rows)) if drawn else "",
        "unit": phrase(f"units.{newest.unit}"),
        "rows": [
            {"unit": side.unit, "first": side.first, "rows": side.rows} if side else None
            for side in sides
        ],
        "columns": [
            {"name": name, "views": [_short(msgspec.to_builtins(v)) if v else None for v in views]}
            for name, views in columns.items()
            if views[-1] is not None
        ],
    }


def _short(value: Any) -> Any:
    """The same values with no more digits than can be drawn."""
    if isinstance(value, float):
        # Datetimes in milliseconds need all of their digits.
        return value if abs(value) > 1e9 else float(f"{value:.5g}")
    if isinstance(value, dict):
        return {key: _short(one) for key, one in value.items()}
    if isinstance(value, list | tuple):
        # Most are counts.
        return [one if type(one) is int else _short(one) for one in value]
    return value
