from typing import Any

from numpy.typing import NDArray

def measure(
    data: NDArray[Any],
    starts: NDArray[Any],
    stops: NDArray[Any],
    space: NDArray[Any],
    characters: NDArray[Any],
    words: NDArray[Any],
    plain: NDArray[Any],
    first: NDArray[Any],
    last: NDArray[Any],
    seen: NDArray[Any],
) -> None: ...
def mapped(data: NDArray[Any], table: NDArray[Any], into: NDArray[Any]) -> None: ...
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

class Coder:
    @property
    def found(self) -> int: ...
    def add(
        self,
        data: NDArray[Any],
        starts: NDArray[Any],
        stops: NDArray[Any],
        codes: NDArray[Any],
        firsts: NDArray[Any],
    ) -> int: ...
    def count(self, codes: NDArray[Any], rows: NDArray[Any]) -> None: ...
    def count_runs(
        self,
        data: NDArray[Any],
        starts: NDArray[Any],
        stops: NDArray[Any],
        between: int,
        rows: NDArray[Any],
    ) -> None: ...
    def counts(self, into: NDArray[Any]) -> None: ...
    def bytes_in_all(self) -> int: ...
    def texts(self, offsets: NDArray[Any], data: NDArray[Any]) -> None: ...

def smallest(
    data: NDArray[Any],
    starts: NDArray[Any],
    stops: NDArray[Any],
    keys: NDArray[Any],
    chosen: NDArray[Any],
) -> None: ...
