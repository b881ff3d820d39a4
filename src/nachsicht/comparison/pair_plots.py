"""The same pairs drawn in every version, and all versions in one plane of components."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from nachsicht.associations.encode import EncodedColumn
from nachsicht.associations.pca import components_of, plane_of
from nachsicht.comparison.context import Version
from nachsicht.model.comparison import ColumnComparison, RelationChange
from nachsicht.model.pair_plots import Components, GridView
from nachsicht.model.profile import ProfileDocument
from nachsicht.table.pair_plots import more_views

#: Pairs whose relation changed that are drawn, the most changed.
MOST_CHANGED = 10


def with_pairs(
    versions: Sequence[Version],
    columns: Sequence[ColumnComparison],
    changes: Sequence[RelationChange],
) -> list[ProfileDocument]:
    """The profiles, with the pairs that any version draws and those that changed.

    Only where a version is there as data; the others keep what they have.
    """
    names = {(i, name): c.name for c in columns for i, name in enumerate(c.names) if name}
    wanted = dict.fromkeys((c.x, c.y) for c in changes[:MOST_CHANGED])
    for i, version in enumerate(versions):
        for view in version.profile.pairs:
            wanted[names.get((i, view.x), view.x), names.get((i, view.y), view.y)] = None
    own = [{c.name: name for c in columns if (name := c.names[i])} for i in range(len(versions))]
    return [
        _with_more(
            version, [(own[i].get(one, one), own[i].get(other, other)) for one, other in wanted]
        )
        for i, version in enumerate(versions)
    ]


def _with_more(version: Version, wanted: Sequence[tuple[str, str]]) -> ProfileDocument:
    profile = version.profile
    encoded = {side.name: side for side in version.drawn}
    if not encoded:
        return profile
    return msgspec.structs.replace(profile, pairs=more_views(wanted, encoded, profile.pairs))


def components_across(
    versions: Sequence[Version], columns: Sequence[ColumnComparison]
) -> tuple[Components | None, tuple[GridView | None, ...]]:
    """Components of the newest version, and rows of every version in the plane of the first two.

    Of the quantities that all versions have, whose data is there. A version without data has
    no plane, and where the newest is not there as data its own components are all there is.
    """
    own = versions[-1].profile.components
    last = len(versions) - 1
    if own is None or not last or not versions[-1].drawn:
        return own, ()
    there = [i for i, version in enumerate(versions) if version.drawn]
    shared = {c.names[last] for c in columns if all(c.names[i] for i in there)}
    encoded = [side for side in versions[-1].drawn if side.name in shared]
    components = components_of(encoded)
    if components is None:
        return own, ()
    found: list[GridView | None] = []
    for i, version in enumerate(versions[:-1]):
        names = {c.names[i]: c.names[last] for c in columns if c.names[i] and c.names[last]}
        renamed = [_named(side, names.get(side.name)) for side in version.drawn]
        found.append(plane_of(components, renamed))
    return components, (*found, components.scores)


def _named(side: EncodedColumn, name: str | None) -> EncodedColumn:
    return msgspec.structs.replace(side, name=name or side.name)
