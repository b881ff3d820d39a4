"""Passes over millions of values, in two ways that give the same answers.

`plain` says in NumPy and Arrow what each function means. `compiled` does the same by Cython, in one
pass where NumPy would need many. It is chosen where it was built, and where the environment
does not say ``NACHSICHT_PLAIN=1``.

A kernel fills arrays that its caller made. Where it is compiled, it holds no lock of the
interpreter meanwhile, so that threads run side by side, and checks no bounds: the lengths that
it needs stand in the docstring of its plain twin, and its one caller sees to them.
"""

import os
from typing import TYPE_CHECKING

__all__ = ["COMPILED", "dictionary", "hashing", "normal", "ranking", "sums", "text"]


def _is_compiled() -> bool:
    """Whether the compiled kernels were built for this interpreter, and are wanted."""
    if os.environ.get("NACHSICHT_PLAIN", "0") not in ("", "0"):
        return False
    from nachsicht.kernels import compiled

    return compiled.is_built()


#: Whether kernels are the compiled ones.
COMPILED = _is_compiled()

if TYPE_CHECKING or not COMPILED:
    from nachsicht.kernels import plain as dictionary
    from nachsicht.kernels import plain as hashing
    from nachsicht.kernels import plain as normal
    from nachsicht.kernels import plain as ranking
    from nachsicht.kernels import plain as sums
    from nachsicht.kernels import plain as text
else:
    from nachsicht.kernels.compiled import dictionary, hashing, normal, ranking, sums, text
