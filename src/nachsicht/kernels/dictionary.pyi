from typing import Any

from numpy.typing import NDArray

class DictionaryEncoder:
    @property
    def found(self) -> int: ...
    def add(
        self,
        data: NDArray[Any],
        starts: NDArray[Any],
        stops: NDArray[Any],
        codes: NDArray[Any],
    ) -> None: ...
    def count(self, codes: NDArray[Any], rows: NDArray[Any]) -> None: ...
    def count_runs(
        self,
        data: NDArray[Any],
        starts: NDArray[Any],
        stops: NDArray[Any],
        between: int,
        rows: NDArray[Any],
        first: int,
        numbers: NDArray[Any],
    ) -> tuple[int, int]: ...
    def counts(self, into: NDArray[Any]) -> None: ...
    def byte_count(self) -> int: ...
    def texts(self, offsets: NDArray[Any], data: NDArray[Any]) -> None: ...
