from typing import Any

from numpy.typing import NDArray

def quantiles(shares: NDArray[Any], into: NDArray[Any]) -> None: ...
