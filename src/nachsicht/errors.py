"""The family of errors: each says what was wrong, where, and what to do.

Every exception that Nachsicht raises on purpose derives from `NachsichtError`, so that
one ``except`` catches them all and the command can print one line.
"""

from __future__ import annotations

from nachsicht.i18n import lookup, phrase, render


class NachsichtError(Exception):
    """Anything that Nachsicht refuses to do, with its reason.

    Parameters
    ----------
    code : str
        Names the texts under ``errors`` in the catalogues: what was wrong, and what to do. Of
        others it is the text itself.
    where : str, optional
        The place: a path, a column, a label.
    todo : str, optional
        What the reader can do about it, where the catalogue does not say it.
    **facts
        What fills in the texts.
    """

    def __init__(self, code: str, *, where: str = "", todo: str = "", **facts: object) -> None:
        self.code, self.where, self.facts = code, where, facts
        self._todo = todo
        super().__init__(code, where, todo, facts)

    @property
    def what(self) -> str:
        """What was wrong, in the current language, without a full stop."""
        known = lookup(f"errors.{self.code}.what")
        return render(known, self.facts).rstrip() if known else self.code

    @property
    def todo(self) -> str:
        """What the reader can do about it, in the current language; empty for nothing."""
        known = lookup(f"errors.{self.code}.todo")
        return self._todo or (render(known, self.facts) if known else "")

    def __str__(self) -> str:
        place = f": {self.where}" if self.where else ""
        return f"{self.what}{place}." + (f" {self.todo}" if self.todo else "")

    def __reduce__(self) -> tuple[object, ...]:
        # Keyword-only fields do not survive the default pickling of exceptions.
        return (_rebuild, (type(self), self.code, self.where, self._todo, self.facts))


def _rebuild(
    kind: type[NachsichtError], code: str, where: str, todo: str, facts: dict[str, object]
) -> NachsichtError:
    return kind(code, where=where, todo=todo, **facts)


class SourceError(NachsichtError):
    """The data could not be opened or read."""


class SourceNotFoundError(SourceError):
    """There is nothing at the given place."""


class EmptySourceError(SourceError):
    """There is a file, but no table in it."""


class UnreadableSourceError(SourceError):
    """There is something, but it cannot be read as the format it claims to be."""


#: Lists and records inside each other, at most.
MOST_DEPTH = 40


def too_deep(where: str) -> UnreadableSourceError:
    """The error for values that are nested too deep to be looked into."""
    return UnreadableSourceError("too_deep", where=where, most=MOST_DEPTH)


#: Columns of a table, at most: pages of more take minutes to make, and nobody reads them.
MOST_COLUMNS = 20_000


def too_wide(columns: int, rows: int) -> UnreadableSourceError:
    """The error for a table of more columns than can be examined."""
    where = phrase("hints.first_rows", rows=rows)
    return UnreadableSourceError("too_wide", where=where, columns=columns, most=MOST_COLUMNS)


class OutputError(NachsichtError):
    """A result could not be written where it was to go."""


class SpillError(NachsichtError):
    """What does not fit in memory could not be written to disk for the time being."""


class SettingsError(NachsichtError):
    """A setting, label or option is unknown, wrong or contradicts another."""


class DocumentError(NachsichtError):
    """A profile or comparison document is not one, or comes from a newer format."""
