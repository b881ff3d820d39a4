"""What a stored type provides, and what a column answers once its kind is known."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Protocol, Self

import msgspec
import numpy as np
from numpy.typing import NDArray

from nachsicht.columns.infer.kind import Judgement
from nachsicht.config.settings import Settings
from nachsicht.kernels import ranking
from nachsicht.model.column import Detail, ErrorBounds, Level, TextFormat
from nachsicht.model.kinds import Kind, KindReason
from nachsicht.sketches.distinct import KeySample


class Body(Protocol):
    """The values of a column seen so far: picklable, merged in the order of the rows."""

    def merge(self, other: Any) -> Any:
        """Append the values of later rows."""


class ColumnFacts(msgspec.Struct, frozen=True):
    """What a column is read with besides its values.

    ``stored`` is its Arrow type, ``now`` the time in microseconds since 1970, None if unknown.
    """

    name: str
    stored: Any
    rows: int
    now: int | None


class StoredType(msgspec.Struct, frozen=True):
    """How columns of some Arrow types are accumulated, and which kind their values are.

    ``observe`` takes an array to a body. ``infer`` takes a body, merged or condensed, to a typed
    column.
    """

    name: str
    fits: Callable[[Any], bool]
    observe: Callable[[Any], Body]
    infer: Callable[[Any, ColumnFacts], TypedColumn]


class Counts(msgspec.Struct, frozen=True):
    """Counts that every kind has; ``squares`` is the sum of the squared counts of the values."""

    present: int
    distinct: int
    once: int
    squares: float
    error_bounds: ErrorBounds | None = None

    @staticmethod
    def of(counts: NDArray[np.int64]) -> Counts:
        """From the exact count of every distinct value."""
        present, once, squares = ranking.count_statistics(counts)
        return Counts(present, len(counts), once, squares)

    @staticmethod
    def estimated(keys: KeySample, present: int, bounds: ErrorBounds) -> Counts:
        """From what is known of the distinct values."""
        return Counts(present, keys.distinct, keys.once, keys.squares, bounds)


class TypedColumn(msgspec.Struct, frozen=True, kw_only=True, dict=True):
    """A column whose kind is known. Kinds override what they have more of."""

    judgement: Judgement
    #: Written with every number of a column of texts.
    unit: str | None = None

    @property
    def counts(self) -> Counts:
        """Counts of present and distinct values."""
        return Counts(0, 0, 0, 0.0)

    @property
    def text_format(self) -> TextFormat | None:
        """How texts are written, where they are kept."""
        return None

    @property
    def sorted_values(self) -> NDArray[Any] | None:
        """The finite values of a quantity in rising order, where all are kept."""
        return None

    def top(self, most: int, order: str) -> tuple[Level, ...]:
        """The most frequent values (``descending``) or the rarest (``ascending``)."""
        return ()

    def summarise(self, settings: Settings) -> Detail | None:
        """The summary of the kind."""
        return None

    def as_kind(self, judgement: Judgement) -> TypedColumn | None:
        """The same values as another kind; None where they cannot be that."""
        return None

    def fits(self, kind: Kind, allowed: tuple[Kind, ...]) -> bool:
        """Whether the kind is among those allowed; a flag has no more than two values."""
        return kind in allowed and (kind is not Kind.FLAG or self.counts.distinct <= 2)

    def replaced(self, judgement: Judgement) -> Self:
        """The same column with another judgement."""
        return msgspec.structs.replace(self, judgement=judgement)


def empty_column() -> TypedColumn:
    """A column without any value."""
    return TypedColumn(judgement=(Kind.EMPTY, KindReason.NO_VALUES))
