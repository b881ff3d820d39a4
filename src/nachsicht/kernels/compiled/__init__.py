"""Kernels that a C compiler builds; `nachsicht.kernels.plain` says what each of them means."""

from importlib.util import find_spec

#: All of them, or none, are used.
MODULES = ("dictionary", "hashing", "normal", "ranking", "sums", "text")


def is_built() -> bool:
    """Whether all of them were built for this interpreter."""
    return all(find_spec(f"{__name__}.{module}") for module in MODULES)
