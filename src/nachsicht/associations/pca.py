"""Principal components of the standardised quantities (Pearson 1901)."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from nachsicht.associations.encode import EncodedColumn, Floats, NumericVector
from nachsicht.model.pair_plots import Axis, Components, GridView
from nachsicht.stats.hist2d import grid_of

#: A quantity takes part if so many of its values are there; so many at most.
_FEWEST_PRESENT, MOST_COLUMNS = 0.8, 200
#: Fewer quantities or rows have no components worth telling.
FEWEST_COLUMNS, FEWEST_ROWS = 3, 50
#: Components whose loadings are kept.
KEPT = 5


def components_of(encoded: Sequence[EncodedColumn]) -> Components | None:
    """Components of the quantities over the rows that have all of them; None of too few.

    Datetimes take no part. Columns that never vary in these rows are left out.
    """
    quantities = [s for s in encoded if isinstance(s, NumericVector) and not s.ticks]
    full = [s for s in quantities if s.present.mean() >= _FEWEST_PRESENT][:MOST_COLUMNS]
    left_out = tuple(side.name for side in quantities if side not in full)
    if len(full) < FEWEST_COLUMNS:
        return None
    values = _complete(full)
    with np.errstate(all="ignore"):
        varies = np.isfinite(values.std(axis=0)) & (values.std(axis=0) > 0)
    names = [side.name for side, fit in zip(full, varies, strict=True) if fit]
    left_out += tuple(side.name for side, fit in zip(full, varies, strict=True) if not fit)
    values = values[:, varies]
    if len(values) < FEWEST_ROWS or len(names) < FEWEST_COLUMNS:
        return None
    centre, scale = values.mean(axis=0), values.std(axis=0)
    standard = (values - centre) / scale
    variances, vectors = np.linalg.eigh(standard.T @ standard / len(standard))
    order = np.argsort(-variances, kind="stable")
    loadings = vectors[:, order[:KEPT]].T
    largest = np.argmax(np.abs(loadings).round(9), axis=1)
    loadings *= np.sign(loadings[np.arange(len(loadings)), largest])[:, None]
    shares = np.maximum(variances[order], 0) / len(names)
    plane = standard @ loadings[:2].T
    return Components(
        columns=tuple(names),
        excluded=left_out,
        rows=len(values),
        centre=tuple(centre.tolist()),
        scale=tuple(scale.tolist()),
        explained_variance=tuple(shares.tolist()),
        loadings=tuple(tuple(row) for row in loadings.tolist()),
        scores=grid_of(plane[:, 0], plane[:, 1], line=False),
    )


def plane_of(components: Components, encoded: Sequence[EncodedColumn]) -> GridView | None:
    """Rows of another version in the plane of the first two components; None without its columns.

    Sides go by the names that the components have.
    """
    named = {side.name: side for side in encoded}
    found = [named.get(name) for name in components.columns]
    quantities = [side for side in found if isinstance(side, NumericVector)]
    if len(quantities) < len(found):
        return None
    values = (_complete(quantities) - components.centre) / components.scale
    if not len(values):
        return None
    plane = values @ np.array(components.loadings[:2]).T
    axes: tuple[Axis, Axis] = (components.scores.x, components.scores.y)
    return grid_of(plane[:, 0], plane[:, 1], axes, line=False)


def _complete(encoded: Sequence[NumericVector]) -> Floats:
    """Rows that have a value in all columns."""
    both = np.logical_and.reduce([side.present for side in encoded])
    return np.array([side.values[both] for side in encoded], np.float64).T
