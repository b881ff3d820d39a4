"""Passes over millions of values, in two ways that give the same answers.

`plain` says in NumPy and Arrow what each function means. `compiled` does the same by Cython, in one
pass where NumPy would need many. It is chosen where it was built, and where the environment
does not say ``NACHSICHT_PLAIN=1``.

A kernel fills arrays that its caller made. Where it is compiled, it holds no lock of the
interpreter meanwhile, so that threads run side by side, and checks no bounds: the lengths that
it needs stand in the docstring of its plain twin, and its one caller sees to them.
"""

import os
from importlib import import_module
from types import ModuleType
from typing import TYPE_CHECKING

from nachsicht.kernels import compiled

if TYPE_CHECKING:
    from nachsicht.kernels import plain as dictionary
    from nachsicht.kernels import plain as hashing
    from nachsicht.kernels import plain as normal
    from nachsicht.kernels import plain as ranking
    from nachsicht.kernels import plain as sums
    from nachsicht.kernels import plain as text

__all__ = ["COMPILED", "dictionary", "hashing", "normal", "ranking", "sums", "text"]

#: Whether kernels are the compiled ones.
COMPILED = os.environ.get("NACHSICHT_PLAIN", "0") in ("", "0") and compiled.is_built()


def __getattr__(name: str) -> ModuleType:
    """The kernels of one kind, loaded when they are first used."""
    if name not in compiled.MODULES:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    return import_module(f"{__name__}.compiled.{name}" if COMPILED else f"{__name__}.plain")
