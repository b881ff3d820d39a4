"""Records in partitions: in memory while they are few, and otherwise in a file without a name.

The operating system takes such a file away with the process that opened it, however that ends.
"""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from threading import Lock
from typing import IO, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from nachsicht.errors import SpillError


class Partitioned(NamedTuple):
    """Records in the order of their partitions, and how many each partition has."""

    records: NDArray[Any]
    counts: NDArray[np.int64]

    @staticmethod
    def of(records: NDArray[Any], partition: NDArray[np.uint16], partitions: int) -> Partitioned:
        """Records, for each of which its partition is given, brought into this order."""
        order = np.argsort(partition, kind="stable")  # a radix sort, for numbers of 16 bits
        counts = np.bincount(partition, minlength=partitions)
        return Partitioned(records.take(order), counts)


class Partitions:
    """Records of one type, each in one of some partitions, in the order in which they came.

    Parameters
    ----------
    dtype : NumPy dtype
        Of the records.
    partitions : int
        At most 65,536.
    most_bytes : int
        What may be held in memory; beyond it all that is held goes to the file.
    folder : str, optional
        Where that is; by default the system's folder for temporary files.
    """

    def __init__(
        self, dtype: np.dtype[Any], partitions: int, most_bytes: int, folder: str | None = None
    ) -> None:
        self._dtype, self._most_bytes, self._folder = dtype, most_bytes, folder
        self._held: list[list[NDArray[Any]]] = [[] for _ in range(partitions)]
        self._held_bytes = 0
        self._runs: list[list[tuple[int, int]]] = [[] for _ in range(partitions)]
        self._file: IO[bytes] | None = None
        self._lock = Lock()

    def close(self) -> None:
        """Give the file back."""
        if self._file:
            with suppress(OSError):  # on a full disk it cannot be flushed
                self._file.close()

    def __len__(self) -> int:
        return len(self._held)

    @property
    def spilled_bytes(self) -> int:
        """What was written to the file."""
        return sum(size for runs in self._runs for _, size in runs)

    def add(self, batch: Partitioned) -> None:
        """Take in some records.

        Raises
        ------
        SpillError
            If the disk is full, or the folder cannot be written to.
        """
        ends = np.cumsum(batch.counts).tolist()
        for held, start, end in zip(self._held, [0, *ends], ends, strict=False):
            if end > start:
                held.append(batch.records[start:end])
        self._held_bytes += batch.records.nbytes
        if self._held_bytes > self._most_bytes:
            self._write()

    def of(self, partition: int) -> NDArray[Any]:
        """The records of one partition, in the order in which they came; any thread may ask."""
        parts = [
            np.frombuffer(self._read(start, size), self._dtype)
            for start, size in self._runs[partition]
        ]
        parts += self._held[partition]
        return np.concatenate(parts) if parts else np.empty(0, self._dtype)

    def _write(self) -> None:
        with spilling(self._folder):
            if self._file is None:
                self._file = nameless_file(self._folder)
            for held, runs in zip(self._held, self._runs, strict=True):
                if held:
                    start, size = self._file.tell(), sum(each.nbytes for each in held)
                    for each in held:
                        self._file.write(each.data)
                    runs.append((start, size))
                    held.clear()
            self._file.flush()
        self._held_bytes = 0

    def _read(self, start: int, size: int) -> bytes:
        assert self._file
        with self._lock:
            self._file.seek(start)
            return self._file.read(size)


def nameless_file(folder: str | None) -> IO[bytes]:
    """A file to write to and read from, that is gone when it is closed or the process ends."""
    return tempfile.TemporaryFile(dir=folder)


@contextmanager
def spilling(folder: str | None) -> Iterator[None]:
    """Errors of the disk as our own.

    Raises
    ------
    SpillError
        With the folder, and what the system said.
    """
    try:
        yield
    except OSError as error:
        place = folder or tempfile.gettempdir()
        reason = os.strerror(error.errno) if error.errno else str(error)
        raise SpillError("cannot_spill", where=place, value=reason) from error
