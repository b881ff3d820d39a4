"""A statistic is a number, or absent for a reason from a closed list."""

from __future__ import annotations

import math
from enum import StrEnum
from typing import TypeGuard

import msgspec


class Reason(StrEnum):
    """Why a statistic has no value."""

    NO_VALUES = "no_values"
    TOO_FEW_VALUES = "too_few_values"
    NEVER_VARIES = "never_varies"
    ZERO_MEAN = "zero_mean"
    OVERFLOW = "overflow"
    NOT_POSITIVE = "not_positive"
    TOO_MANY_LEVELS = "too_many_levels"
    NOT_SHARED = "not_shared"
    NO_ROW_ORDER = "no_row_order"


class Absent(msgspec.Struct, frozen=True):
    """Stands where a number would stand, and says why there is none."""

    absent: Reason


Statistic = int | float | Absent


def statistic(value: float, otherwise: Reason = Reason.OVERFLOW) -> Statistic:
    """Return the value if it is finite, else absent with the reason given."""
    return float(value) if math.isfinite(value) else Absent(otherwise)


def known(value: Statistic | None) -> TypeGuard[int | float]:
    """Tell whether a statistic has a value."""
    return isinstance(value, int | float)
