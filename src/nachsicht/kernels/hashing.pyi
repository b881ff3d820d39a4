from typing import Any

from numpy.typing import NDArray

def mix(numbers: NDArray[Any], times: int, salt: int, adding: bool, into: NDArray[Any]) -> None: ...
def of_floats(
    numbers: NDArray[Any], missing: int, salt: int, adding: bool, into: NDArray[Any]
) -> None: ...
def of_texts(
    data: NDArray[Any],
    starts: NDArray[Any],
    stops: NDArray[Any],
    salt: int,
    adding: bool,
    into: NDArray[Any],
) -> None: ...
def at_codes(
    hashes: NDArray[Any], codes: NDArray[Any], adding: bool, into: NDArray[Any]
) -> None: ...
