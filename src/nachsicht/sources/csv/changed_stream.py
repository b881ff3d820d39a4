"""A stream of bytes that are changed on the way, chunk by chunk."""

from __future__ import annotations

import io
from abc import ABC, abstractmethod
from typing import Any

_CHUNK = 1 << 20


class ChangedStream(io.RawIOBase, ABC):
    """What another stream holds, changed by `changed`."""

    def __init__(self, stream: Any) -> None:
        self._stream = stream
        self._rest, self._ended = b"", False

    @abstractmethod
    def changed(self, chunk: bytes, *, last: bool) -> bytes:
        """What a chunk becomes, with what was held back of those before it."""

    def readable(self) -> bool:
        """As all streams that are read from."""
        return True

    def tell(self) -> int:
        """Bytes of the source that are read so far."""
        return int(self._stream.tell())

    def readinto(self, into: Any) -> int:
        """Fill a buffer with the next bytes; 0 at the end."""
        while not self._rest and not self._ended:
            chunk = self._stream.read(_CHUNK)
            self._ended = not chunk
            self._rest = self.changed(chunk, last=self._ended)
        n = min(len(into), len(self._rest))
        into[:n], self._rest = self._rest[:n], self._rest[n:]
        return n
