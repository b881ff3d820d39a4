"""Errors of the packages that read tables with snapshots, as errors of our own."""

from __future__ import annotations

import importlib.util
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from nachsicht.errors import SourceError, UnreadableSourceError


@contextmanager
def errors_named(path: Path, package: str, table_format: str) -> Iterator[None]:
    """Name the folder in what a package says; say how it is installed where it is not there."""
    if importlib.util.find_spec(package) is None:
        raise SourceError(f"no_{package}", where=str(path))
    try:
        yield
    except SourceError:
        raise
    except ImportError as error:
        raise SourceError(f"no_{package}", where=str(path)) from error
    except Exception as error:  # the packages' own have no common ancestor but this
        text = str(error).splitlines()[0] if str(error) else type(error).__name__
        raise UnreadableSourceError(
            "table_not_read", where=str(path), format=table_format, error=text
        ) from error
