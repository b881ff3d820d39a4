"""What a history follows of a profile: few numbers, read from its document without the rest."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import msgspec
import numpy as np

from nachsicht.errors import DocumentError
from nachsicht.model.codec import FORMAT_VERSION, content_of, decode, encode
from nachsicht.model.column import Level
from nachsicht.model.profile import ProfileDocument

#: How the documents say what a summary is of.
QUANTITY, CATEGORY = "quantity", "category"


class FollowedQuantile(msgspec.Struct, frozen=True):
    """A share of the rows, and the value below which they are; of dates a text."""

    share: float
    value: Any


class FollowedSummary(msgspec.Struct, frozen=True):
    """Of a column's summary its quantiles, signs and decimals, or its levels."""

    type: str
    quantiles: tuple[FollowedQuantile, ...] = ()
    decimals: int | None = None
    zeros: int = 0
    negatives: int = 0
    levels: tuple[Level, ...] = ()


class FollowedColumn(msgspec.Struct, frozen=True):
    """Of a column its counts and what is followed of its summary."""

    name: str
    kind: str
    dtype: str
    rows: int
    missing: int
    distinct: int
    stats: FollowedSummary | None = None

    @property
    def present(self) -> int:
        """Rows with a value."""
        return self.rows - self.missing

    def quantile(self, share: float) -> float | None:
        """A quantile of a quantity; None of other columns."""
        points = self.stats.quantiles if self.stats and self.is_quantity else ()
        return next((point.value for point in points if point.share == share), None)

    def share_below(self, value: float) -> float | None:
        """About the share of the values below one, between the quantiles of a quantity."""
        points = self.stats.quantiles if self.stats and self.is_quantity else ()
        if not points:
            return None
        values, shares = [point.value for point in points], [point.share for point in points]
        return float(np.interp(value, values, shares, left=0.0, right=1.0))

    @property
    def is_quantity(self) -> bool:
        """Whether its values are numbers."""
        return self.stats is not None and self.stats.type == QUANTITY

    @property
    def decimals(self) -> int | None:
        """With how many decimals its numbers are written; None of other columns."""
        return self.stats.decimals if self.stats and self.is_quantity else None

    @property
    def levels(self) -> tuple[Level, ...]:
        """The levels of a category; none of other columns."""
        return self.stats.levels if self.stats and self.stats.type == CATEGORY else ()


class FollowedRelation(msgspec.Struct, frozen=True):
    """How strongly two columns go together."""

    x: str
    y: str
    measure: str
    value: float
    std_error: float
    rows: int


class FollowedRelations(msgspec.Struct, frozen=True):
    """All pairs of columns that have a strength."""

    pairs: tuple[FollowedRelation, ...] = ()


class FollowedDuplicates(msgspec.Struct, frozen=True):
    """How many rows repeat another one."""

    duplicate_rows: int = 0


class FollowedProfile(msgspec.Struct, frozen=True):
    """Of a profile its label, its rows, which of them repeat, its columns and their relations."""

    format_version: int
    label: str
    rows: int
    columns: tuple[FollowedColumn, ...]
    relations: FollowedRelations = FollowedRelations()
    duplicates: FollowedDuplicates = FollowedDuplicates()


def followed_of(document: ProfileDocument) -> FollowedProfile:
    """What is followed of a profile."""
    return msgspec.json.decode(encode(document), type=FollowedProfile)


def read_followed(path: Path) -> FollowedProfile:
    """What is followed of the profile in a document.

    Raises
    ------
    DocumentError
        If the document cannot be read.
    """
    data = content_of(path)
    try:
        found = msgspec.json.decode(data, type=FollowedProfile)
    except (msgspec.DecodeError, UnicodeError):
        found = None
    if found is not None and found.format_version == FORMAT_VERSION:
        return found
    document = decode(data, str(path))  # of a former format, or damaged
    if not isinstance(document, ProfileDocument):
        raise DocumentError("comparison_for_profile", where=str(path))
    return followed_of(document)
