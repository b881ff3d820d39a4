"""Lines that end before the last field: the fields that they lack are read as missing."""

from __future__ import annotations

from typing import Any

import msgspec

from nachsicht.sources.csv.changed_stream import ChangedStream
from nachsicht.sources.protocol import UnreadLine

#: Of more text of short lines, none is filled up.
_MOST_BYTES = 64 << 20
_LETTERS, _SHOWN = 60, 5


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


class Padded(ChangedStream):
    """A stream in which lines that are known to be short have their last fields, empty.

    ``padded`` counts them; ``damaged`` is that of the stream beneath.
    """

    def __init__(self, stream: Any, short: dict[bytes, int], delimiter: str) -> None:
        super().__init__(stream)
        self._short, self._sign, self._cut = short, delimiter.encode(), b""
        self.padded = 0

    @property
    def damaged(self) -> int:
        """Letters that had to be replaced."""
        return int(getattr(self._stream, "damaged", 0))

    def changed(self, chunk: bytes, *, last: bool) -> bytes:
        """Whole lines with all fields; the one that is cut off waits for the next chunk."""
        lines = (self._cut + chunk).split(b"\n")
        self._cut = b"" if last else lines.pop()
        text = b"\n".join([self._filled(line) for line in lines])
        return text if last or not lines else text + b"\n"

    def _filled(self, line: bytes) -> bytes:
        plain = line.removesuffix(b"\r")
        lacking = self._short.get(plain)
        if lacking is None:
            return line
        self.padded += 1
        return plain + self._sign * lacking + line[len(plain) :]
