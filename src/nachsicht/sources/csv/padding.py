"""Lines that end before the last field: the fields that they lack are read as missing."""

from __future__ import annotations

import io
from typing import Any

import msgspec

from nachsicht.sources.protocol import UnreadLine

#: Of more text of short lines, none is filled up.
_MOST_BYTES = 64 << 20
_CHUNK, _LETTERS, _SHOWN = 1 << 20, 60, 5


class RaggedLines(msgspec.Struct):
    """Lines with another number of fields than the first, as the parser meets and skips them.

    ``short`` are the texts of those with fewer, each with the number of fields that it lacks;
    ``short_lines`` counts them, 0 where they cannot be told apart from parts of other lines.
    """

    lines: int = 0
    short_lines: int = 0
    short: dict[bytes, int] = msgspec.field(default_factory=dict)
    examples: list[UnreadLine] = msgspec.field(default_factory=list)
    bytes_kept: int = 0

    def __call__(self, row: Any) -> str:
        """Skip a line, and remember it."""
        self.lines += 1
        if row.actual_columns < row.expected_columns:
            self.short_lines += 1
            self._keep(row.text.encode("utf-8", "surrogateescape"), row)
        if len(self.examples) < _SHOWN:
            text = row.text if len(row.text) <= _LETTERS else row.text[:_LETTERS] + "…"
            self.examples.append(UnreadLine(row.number or 0, row.actual_columns, text))
        return "skip"

    def _keep(self, text: bytes, row: Any) -> None:
        if text not in self.short:
            self.bytes_kept += len(text)
        if b"\n" in text or b"\r" in text or self.bytes_kept > _MOST_BYTES:
            return  # then not as many are found again, and none is filled up
        self.short[text] = row.expected_columns - row.actual_columns


class Padded(io.RawIOBase):
    """A stream in which lines that are known to be short have their last fields, empty.

    ``padded`` counts them; ``damaged`` is that of the stream beneath.
    """

    def __init__(self, stream: Any, short: dict[bytes, int], delimiter: str) -> None:
        self._stream, self._short, self._sign = stream, short, delimiter.encode()
        self._cut, self._rest, self._ended = b"", b"", False
        self.padded = 0

    @property
    def damaged(self) -> int:
        """Letters that had to be replaced."""
        return int(getattr(self._stream, "damaged", 0))

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
            lines = (self._cut + chunk).split(b"\n")
            self._cut = b"" if self._ended else lines.pop()
            text = b"\n".join([self._filled(line) for line in lines])
            self._rest = text if self._ended or not lines else text + b"\n"
        n = min(len(into), len(self._rest))
        into[:n], self._rest = self._rest[:n], self._rest[n:]
        return n

    def _filled(self, line: bytes) -> bytes:
        plain = line.removesuffix(b"\r")
        lacking = self._short.get(plain)
        if lacking is None:
            return line
        self.padded += 1
        return plain + self._sign * lacking + line[len(plain) :]
