from typing import Any

from numpy.typing import NDArray

def measure(
    data: NDArray[Any],
    starts: NDArray[Any],
    stops: NDArray[Any],
    characters: NDArray[Any],
    words: NDArray[Any],
    plain: NDArray[Any],
    first: NDArray[Any],
    last: NDArray[Any],
) -> None: ...
def holds(data: NDArray[Any], byte: int) -> bool: ...
def shaped(data: NDArray[Any], into: NDArray[Any]) -> None: ...
def in_words(data: NDArray[Any], into: NDArray[Any]) -> None: ...
def gathered(
    data: NDArray[Any], starts: NDArray[Any], stops: NDArray[Any], into: NDArray[Any]
) -> None: ...
def numbers_behind(
    data: NDArray[Any],
    starts: NDArray[Any],
    stops: NDArray[Any],
    skipped: int,
    into: NDArray[Any],
) -> int: ...
def common_start(data: NDArray[Any], starts: NDArray[Any], stops: NDArray[Any]) -> int: ...
def first_texts(
    data: NDArray[Any],
    starts: NDArray[Any],
    stops: NDArray[Any],
    keys: NDArray[Any],
    falling: bool,
    chosen: NDArray[Any],
) -> None: ...
def equal_in_runs(
    data: NDArray[Any],
    starts: NDArray[Any],
    stops: NDArray[Any],
    places: NDArray[Any],
    runs: NDArray[Any],
) -> bool: ...
def kept(
    data: NDArray[Any],
    starts: NDArray[Any],
    stops: NDArray[Any],
    flags: NDArray[Any],
    offsets: NDArray[Any],
    into: NDArray[Any],
) -> None: ...
