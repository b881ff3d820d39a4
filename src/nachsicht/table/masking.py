"""Pseudonyms in place of values that nobody should see."""

from __future__ import annotations

import math
import os
from functools import cache
from hashlib import blake2b
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from nachsicht.arrow.buffers import arrow_of, arrow_texts

#: A secret in the environment makes the same pseudonyms in every run.
SECRET = "NACHSICHT_MASK_SECRET"  # noqa: S105 (the name of the variable, no secret)


#: Bytes of a pseudonym: of n values the chance that two share one is n² / 2^97.
_BYTES = 12


def pseudonyms(column: Any, key: bytes | None = None) -> Any:
    """The column as texts that tell equal values, and nothing else, of what they were.

    Keyed BLAKE2b (RFC 7693). Without a secret of the user's the key is drawn anew in every
    process, so that pseudonyms of different runs cannot be matched; processes that work on one
    run are given the key. Missing stays missing; a list or record is one value.
    """
    if isinstance(column, pa.ChunkedArray):
        column = column.combine_chunks()
    key = key or mask_key()
    if pa.types.is_nested(column.type):
        return _words(column.to_pylist(), key)
    if not pa.types.is_dictionary(column.type):
        column = pc.dictionary_encode(column)
    return _words(column.dictionary.to_pylist(), key).take(column.indices)


def _words(values: list[Any], key: bytes) -> Any:
    codes = np.full(len(values), -1)
    words: list[str] = []
    for place, value in enumerate(values):
        if not _is_missing(value):
            codes[place] = len(words)
            words.append(_pseudonym(value, key))
    there = arrow_of(codes)
    there = pc.if_else(pc.less(there, 0), pa.scalar(None, pa.int64()), there)
    return arrow_texts(words).take(there)


def _is_missing(value: Any) -> bool:
    return value is None or (isinstance(value, float) and math.isnan(value))


def _pseudonym(value: Any, key: bytes) -> str:
    if isinstance(value, float) and value.is_integer():
        value = int(value)  # the same number, however a version stores it
    text = repr(value).encode("utf-8", "surrogatepass")
    return "masked-" + blake2b(text, digest_size=_BYTES, key=key).hexdigest()


@cache
def mask_key() -> bytes:
    """The key of this process."""
    secret = os.environ.get(SECRET)
    return blake2b(secret.encode()).digest() if secret else os.urandom(32)


def mask_id() -> str:
    """What tells keys apart and nothing of them: pseudonyms of one id can be compared."""
    return blake2b(key=mask_key(), digest_size=8, person=b"mask-id").hexdigest()
