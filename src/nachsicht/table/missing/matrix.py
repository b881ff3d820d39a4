"""Which cells of a few evenly drawn rows are missing, and which columns go missing together."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from nachsicht.arrow.buffers import missing_in
from nachsicht.associations.clustering import average_linkage
from nachsicht.model.missing import MissingMatrix
from nachsicht.sketches.row_sample import RowSample

#: Rows and columns that are kept; of more columns those with the most missing values.
MOST_ROWS, MOST_COLUMNS = 400, 60


def missing_matrix_of(sample: RowSample | None, names: Sequence[str]) -> MissingMatrix | None:
    """The missing cells of evenly drawn rows; None where no cell of theirs is missing.

    Columns stand in the order of a tree by average linkage, whose distance is one less Jaccard's
    index over all drawn rows: the rows in which both are missing, of those in which either is.
    """
    if sample is None or not sample.rows.num_rows:
        return None
    flags = {i: missing_in(sample.rows.column(i)) for i in range(len(names))}
    counts = {i: int(missing.sum()) for i, missing in flags.items()}
    kept = sorted((i for i, n in counts.items() if n), key=lambda i: (-counts[i], i))
    if not kept:
        return None
    kept = sorted(kept[:MOST_COLUMNS])
    missing = np.stack([flags[i] for i in kept])
    order, merges = _tree(missing)
    places = np.sort(sample.order[:MOST_ROWS])
    return MissingMatrix(
        columns=tuple(names[kept[i]] for i in order),
        left_out=sum(map(bool, counts.values())) - len(kept),
        rows=len(places),
        cells=np.packbits(missing[order][:, places], axis=1).tobytes(),
        merges=merges,
    )


def _tree(
    missing: NDArray[np.bool_],
) -> tuple[list[int], tuple[tuple[int, int, float], ...]]:
    """The columns in the order of the tree, and its merges by their places in that order."""
    n = len(missing)
    if n < 2:
        return list(range(n)), ()
    merges = average_linkage(1 - _jaccard(missing))
    clusters: list[list[int]] = [[i] for i in range(n)]
    for one, other, _ in merges:
        clusters.append(clusters[one] + clusters[other])
    order = clusters[-1]
    place = {column: at for at, column in enumerate(order)}
    found = []
    for *sides, apart in merges:
        one, other = sorted(place.get(int(side), int(side)) for side in sides)
        found.append((one, other, round(apart, 4)))
    return order, tuple(found)


def _jaccard(missing: NDArray[np.bool_]) -> NDArray[np.float64]:
    """Rows in which two columns are both missing, of those in which either is."""
    held = missing.astype(np.float32)
    both = (held @ held.T).astype(np.float64)
    single = both.diagonal()
    shared: NDArray[np.float64] = both / np.maximum(single[:, None] + single - both, 1)
    return shared
