"""A fixture for tests of data in pytest: a dataset against the profile that stands beside the test.

Nothing of Nachsicht is loaded before a test asks for the fixture.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pytest

if TYPE_CHECKING:
    from nachsicht.results import Comparison

#: The folder of the profiles, beside the file of the tests.
FOLDER = "baselines"


def pytest_addoption(parser: pytest.Parser) -> None:
    """Add the option that writes the profiles anew."""
    parser.getgroup("nachsicht").addoption(
        "--nachsicht-baseline",
        action="store_true",
        help="write the profiles that data is compared with, instead of comparing",
    )


@pytest.fixture
def steady(request: pytest.FixtureRequest) -> Callable[..., Comparison | None]:
    """Compare data with the profile that was kept for this test.

    It is called with the data, and takes the options of `nachsicht.assert_steady`; ``name`` tells
    several profiles of one test apart. The test fails where there are open findings, and where no
    profile was kept. Run ``pytest --nachsicht-baseline`` to keep them, and commit what it writes.
    """
    return lambda data, **options: _compared(request, data, **options)


def _compared(
    request: pytest.FixtureRequest, data: Any, name: str = "", **options: Any
) -> Comparison | None:
    __tracebackhide__ = True
    import nachsicht

    own = re.sub(r"[^\w.-]+", "_", f"{request.node.name}-{name}" if name else request.node.name)
    path = Path(request.path).parent / FOLDER / f"{own}.json.gz"
    if request.config.getoption("--nachsicht-baseline"):
        path.parent.mkdir(exist_ok=True)
        options.pop("stop_on", None)
        nachsicht.profile(data, label=own, **options).write(path)
        return None
    if not path.exists():
        pytest.fail(
            f"no profile was kept at {path}: run pytest --nachsicht-baseline", pytrace=False
        )
    return nachsicht.assert_steady(path, data, **options)
