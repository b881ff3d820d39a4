"""The family of errors: each says what was wrong, where, and what to do.

Every exception that Nachsicht raises on purpose derives from `NachsichtError`, so that
one ``except`` catches them all and the command can print one line.
"""

from __future__ import annotations


class NachsichtError(Exception):
    """Anything that Nachsicht refuses to do, with its reason.

    Parameters
    ----------
    what : str
        What was wrong, in plain words, without a full stop.
    where : str, optional
        The place: a path, a column, a label.
    todo : str, optional
        What the reader can do about it, as a sentence.
    """

    def __init__(self, what: str, *, where: str = "", todo: str = "") -> None:
        self.what = what
        self.where = where
        self.todo = todo
        super().__init__(what, where, todo)

    def __str__(self) -> str:
        place = f": {self.where}" if self.where else ""
        return f"{self.what}{place}." + (f" {self.todo}" if self.todo else "")

    def __reduce__(self) -> tuple[object, ...]:
        # Keyword-only fields do not survive the default pickling of exceptions.
        return (_rebuild, (type(self), self.what, self.where, self.todo))


def _rebuild(kind: type[NachsichtError], what: str, where: str, todo: str) -> NachsichtError:
    return kind(what, where=where, todo=todo)


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
    return UnreadableSourceError(
        f"values are nested more than {MOST_DEPTH} deep",
        where=where,
        todo="Flatten them, or leave the column out.",
    )


#: Columns of a table, at most: pages of more take minutes to make, and nobody reads them.
MOST_COLUMNS = 20_000


def too_wide(columns: int, rows: int) -> UnreadableSourceError:
    """The error for a table of more columns than can be looked at."""
    return UnreadableSourceError(
        f"the table has {columns:,} columns, more than {MOST_COLUMNS:,}",
        where=f"the first {rows:,} rows",
        todo="Leave columns out with omit; if each column is one of the things that the table is "
        "about, exchange rows and columns.",
    )


class OutputError(NachsichtError):
    """A result could not be written where it was to go."""


class SettingsError(NachsichtError):
    """A setting, label or option is unknown, wrong or contradicts another."""


class DocumentError(NachsichtError):
    """A profile or comparison document is not one, or comes from a newer format."""
