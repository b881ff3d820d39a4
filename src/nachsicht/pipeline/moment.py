"""The moment that a version stands for: given, in its name, of its commit or data, or of now."""

from __future__ import annotations

import re
from datetime import UTC, date, datetime
from typing import NamedTuple

from nachsicht.errors import SettingsError
from nachsicht.model.column import DatetimeSummary
from nachsicht.model.profile import ProfileDocument

#: Dates in names: 2025-03-01 (also with the time), 2025-W09, 2025-03, and the same without dashes
#: or with underscores. Digits beside them make another number.
_SEPARATOR = r"[-_.]?"
_TIME = (
    r"(?:[T_ -]?(?P<hour>[01]\d|2[0-3])[-:_.]?(?P<minute>[0-5]\d)(?:[-:_.]?(?P<second>[0-5]\d))?)?"
)
_YEAR = r"(?<!\d)(?P<year>(?:19|20)\d\d)"
_IN_NAMES = (
    re.compile(
        rf"{_YEAR}{_SEPARATOR}(?P<month>0[1-9]|1[0-2]){_SEPARATOR}"
        rf"(?P<day>0[1-9]|[12]\d|3[01]){_TIME}(?!\d)"
    ),
    re.compile(rf"{_YEAR}{_SEPARATOR}[wW](?P<week>0[1-9]|[1-4]\d|5[0-3])(?!\d)"),
    re.compile(rf"{_YEAR}[-_.](?P<month>0[1-9]|1[0-2])(?!\d)"),
)


class Moment(NamedTuple):
    """A time without zone, or in UTC without saying so, and where it is from."""

    at: datetime
    source: str


def moment_of(given: datetime | date | str | None, name: str, recorded: str) -> Moment:
    """The moment of a version.

    Parameters
    ----------
    given : datetime, date or str, optional
        As the user says; texts in ISO 8601.
    name : str
        The version's label. A date, week or month in it counts from its beginning.
    recorded : str
        When its profile was made, in ISO 8601.

    Raises
    ------
    SettingsError
        If a text is no date.
    """
    if given is not None:
        return Moment(_without_zone(_given(given)), "given")
    for pattern in _IN_NAMES:
        for found in pattern.finditer(name):
            at = _read(found.groupdict())
            if at is not None:
                return Moment(at, "name")
    return Moment(_without_zone(datetime.fromisoformat(recorded)), "recorded")


def moment_of_profile(
    document: ProfileDocument, given: datetime | date | str | None = None
) -> Moment:
    """The moment of the version that a profile is of; raises as `moment_of`.

    Without one that is given or in its name it is that of its commit or snapshot, or else the last
    one in the column that is its time axis, if that had passed when the profile was made.
    """
    origin = document.origin
    made = datetime.fromisoformat(origin.created_at) if origin else datetime.now()
    found = moment_of(given, document.label, made.isoformat())
    if found.source != "recorded":
        return found
    if origin and origin.moment:
        return Moment(datetime.fromisoformat(origin.moment), "source")
    last = _last_in(document)
    return Moment(last, "data") if last and last <= _without_zone(made) else found


def _last_in(document: ProfileDocument) -> datetime | None:
    """The last moment in the column over which all others are shown."""
    if document.over_time is None:
        return None
    column = document.column(document.over_time.time_column)
    if column is None or not isinstance(column.stats, DatetimeSummary):
        return None
    try:
        return _without_zone(datetime.fromisoformat(str(column.stats.maximum)))
    except ValueError:
        return None


def _given(given: datetime | date | str) -> datetime:
    if isinstance(given, datetime):
        return given
    if isinstance(given, date):
        return datetime(given.year, given.month, given.day)
    try:
        return datetime.fromisoformat(given)
    except ValueError as error:
        raise SettingsError("not_a_date", where="moment", text=given) from error


def _without_zone(at: datetime) -> datetime:
    return at if at.tzinfo is None else at.astimezone(UTC).replace(tzinfo=None)


def _read(found: dict[str, str | None]) -> datetime | None:
    """A date of its parts; None where there is no such day."""
    parts = {name: int(value) for name, value in found.items() if value}
    try:
        if "week" in parts:
            return datetime.combine(
                date.fromisocalendar(parts["year"], parts["week"], 1), datetime.min.time()
            )
        return datetime(
            parts["year"],
            parts["month"],
            parts.get("day", 1),
            parts.get("hour", 0),
            parts.get("minute", 0),
            parts.get("second", 0),
        )
    except ValueError:
        return None
