"""Pseudonyms in place of values that nobody shall see."""

from __future__ import annotations

import math
import os
from functools import cache
from hashlib import blake2b
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from nachsicht.compute.arrays import arrow_texts

#: A secret in the environment makes the same pseudonyms in every run.
SECRET = "NACHSICHT_MASK_SECRET"  # noqa: S105 (the name of the variable, no secret)


def pseudonyms(column: Any, key: bytes | None = None) -> Any:
    """The column as texts that tell equal values, and nothing else, of what they were.

    Keyed BLAKE2b (RFC 7693). Without a secret of the user's the key is drawn anew in every
    process, so that pseudonyms of different runs cannot be matched; processes that work on one
    run are given the key. Missing stays missing.
    """
    if isinstance(column, pa.ChunkedArray):
        column = column.combine_chunks()
    if not pa.types.is_dictionary(column.type):
        column = pc.dictionary_encode(column)
    key = key or mask_key()
    texts = [None if value is None else _pseudonym(repr(value), key) for value in _values(column)]
    words = arrow_texts([text or "" for text in texts])
    if None in texts:
        words = pc.if_else(pc.is_null(column.dictionary), pa.scalar(None, words.type), words)
    return words.take(column.indices)


def _values(column: Any) -> list[Any]:
    values: list[Any] = column.dictionary.to_pylist()
    return [None if isinstance(v, float) and math.isnan(v) else v for v in values]


def _pseudonym(value: str, key: bytes) -> str:
    digest = blake2b(value.encode("utf-8", "surrogatepass"), digest_size=5, key=key)
    return "masked-" + digest.hexdigest()


@cache
def mask_key() -> bytes:
    """The key of this process."""
    secret = os.environ.get(SECRET)
    return blake2b(secret.encode()).digest() if secret else os.urandom(32)
