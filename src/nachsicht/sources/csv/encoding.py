"""In which encoding a text is written, and the text of any encoding as UTF-8."""

from __future__ import annotations

import codecs
from collections.abc import Iterable
from typing import Any

import msgspec

from nachsicht.errors import UnreadableSourceError
from nachsicht.model.notes import Note
from nachsicht.sources.csv.changed_stream import ChangedStream

_MARKS = (
    (codecs.BOM_UTF32_LE, "utf-32"),
    (codecs.BOM_UTF32_BE, "utf-32"),
    (codecs.BOM_UTF16_LE, "utf-16"),
    (codecs.BOM_UTF16_BE, "utf-16"),
    (codecs.BOM_UTF8, "utf-8-sig"),
)
#: Without a mark; of ASCII letters one byte in two, or three in four, is zero.
_WIDE = ("utf-16-le", "utf-16-be", "utf-32-le", "utf-32-be")
#: Letters of a text that may be control characters, besides tabs and line ends.
_MOST_CONTROLS, _LOOKED_AT = 0.005, 1 << 16
_CONTROLS = frozenset(map(chr, range(32))) - set("\t\n\v\f\r\x1a\x1c\x1d\x1e\x1f")
#: Bytes that cp1252 has no letter for.
_UNDEFINED = (b"\x81", b"\x8d", b"\x8f", b"\x90", b"\x9d")


class Encoding(msgspec.Struct, frozen=True):
    """An encoding, and whether it was found out from letters, not from a mark or as plain UTF-8.

    ``damaged`` bytes are not of it: they are read as replacement characters.
    """

    name: str
    damaged: int = 0
    guessed: bool = False

    @property
    def as_it_is(self) -> bool:
        """Whether the bytes are UTF-8 already."""
        return self.name == "utf-8" and not self.damaged


def find_encoding(sample: bytes, whole: bool, where: str) -> Encoding:
    """The encoding of the beginning of a file.

    UTF-8 where letters beyond ASCII are mostly written so: a few bytes that are not are damage.
    Else cp1252, which most programs mean that do not write Unicode.

    Raises
    ------
    UnreadableSourceError
        If it holds what no text holds.
    """
    for mark, name in _MARKS:
        if sample.startswith(mark):
            text = _decoded(sample, name)
            if text is None or not _is_text(text):
                break
            return Encoding(name)
    if b"\0" in sample:
        for name in _WIDE:
            text = _decoded(sample, name)
            if text is not None and _is_text(text) and _mostly_ascii(text):
                return Encoding(name, guessed=True)
        raise _no_text(where)
    # A character may be cut at the end of the sample.
    found = encoding_of([sample if whole else sample[: sample.rfind(b"\n") + 1 or None]])
    if not _is_text(sample.decode(found.name, "replace")):
        raise _no_text(where)
    return found


def encoding_of(chunks: Iterable[bytes]) -> Encoding:
    """UTF-8 or cp1252, whichever most letters beyond ASCII are written in."""
    decoder = codecs.getincrementaldecoder("utf-8")("replace")
    good = bad = own = 0
    undefined = 0
    for chunk in chunks:
        text = decoder.decode(chunk)
        own += chunk.count(b"\xef\xbf\xbd")
        bad += text.count("�")
        good += len(text) - len(text.encode("ascii", "ignore"))
        undefined += sum(map(chunk.count, _UNDEFINED))
    bad += decoder.decode(b"", True).count("�")
    bad, good = bad - own, good - bad
    if not bad:
        return Encoding("utf-8")
    if good > bad:
        return Encoding("utf-8", damaged=bad)
    return Encoding("cp1252", damaged=undefined, guessed=True)


def encoding_notes(encoding: Encoding) -> list[Note]:
    """What is unusual about an encoding."""
    if encoding.name in ("utf-8", "utf-8-sig"):
        return []
    return [
        Note("encoding", {"name": encoding.name}),
        *([Note("encoding_detected")] * encoding.guessed),
    ]


def _no_text(where: str) -> UnreadableSourceError:
    return UnreadableSourceError("binary_file", where=where)


def _decoded(sample: bytes, name: str) -> str | None:
    try:
        return codecs.getincrementaldecoder(name)("strict").decode(sample)
    except UnicodeError:
        return None


def _is_text(text: str) -> bool:
    few = text[:_LOOKED_AT]
    return sum(map(few.count, _CONTROLS)) <= _MOST_CONTROLS * len(few)


def _mostly_ascii(text: str) -> bool:
    return sum(letter < "\x7f" for letter in text) > 0.5 * len(text)


class Recoded(ChangedStream):
    """A stream of any encoding as UTF-8; ``damaged`` counts what had to be replaced."""

    def __init__(self, stream: Any, encoding: str) -> None:
        super().__init__(stream)
        self.damaged = 0
        self._decoder = codecs.getincrementaldecoder(encoding)("replace")

    def changed(self, chunk: bytes, *, last: bool) -> bytes:
        """The letters that are whole; the bytes of one that is cut off wait."""
        text = self._decoder.decode(chunk, last)
        self.damaged += text.count("\ufffd")
        return text.encode("utf-8", "replace")
