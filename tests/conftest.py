"""What several tests need: the demo's files, and a real browser."""

import base64
import gzip
import json
import os
import re
import shutil
import sys
from collections.abc import Callable, Iterator
from pathlib import Path

import hypothesis
import pytest

import nachsicht
from nachsicht import kernels
from nachsicht.demo.files import copy_files, write_weeks
from nachsicht.kernels import plain
from nachsicht.kernels.compiled import MODULES

# A busy machine is no failure. Where the checks decide, they try the same examples each time;
# elsewhere they go on looking for new ones.
hypothesis.settings.register_profile("here", deadline=None)
hypothesis.settings.register_profile("ci", deadline=None, derandomize=True)
PROFILE = "ci" if os.environ.get("CI") == "true" else "here"
hypothesis.settings.load_profile(PROFILE)
hypothesis.settings.register_profile(
    "light", hypothesis.settings.get_profile(PROFILE), max_examples=25
)


def pytest_configure(config: pytest.Config) -> None:
    """Fewer examples in the light tests."""
    if config.getoption("markexpr") == "not slow":
        hypothesis.settings.load_profile("light")


#: Chromium asks the network at every start unless it is told not to.
CHROMIUM_OPTIONS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


@pytest.fixture(scope="module", params=["plain", "compiled"])
def either_way(request: pytest.FixtureRequest) -> Iterator[str]:
    """Each test with the plain kernels, and with the compiled ones."""
    if request.param == "compiled":
        if not kernels.COMPILED:
            pytest.skip("the compiled kernels are not there, or not wanted")
        yield request.param
        return
    with pytest.MonkeyPatch.context() as patch:
        compiled = [getattr(kernels, name) for name in MODULES]
        for name, module in list(sys.modules.items()):
            if name.startswith("nachsicht.") and module is not kernels:
                for attribute, value in list(vars(module).items()):
                    if any(value is one for one in compiled):
                        patch.setattr(module, attribute, plain)
        yield request.param


@pytest.fixture(scope="session")
def demo_files(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Path]:
    return copy_files(tmp_path_factory.mktemp("demo"))


@pytest.fixture(scope="session")
def demo_comparison(demo_files: dict[str, Path]) -> nachsicht.Comparison:
    return nachsicht.compare(demo_files["hive_checks_2024.csv"], demo_files["hive_checks_2025.csv"])


@pytest.fixture(scope="session")
def demo_history(tmp_path_factory: pytest.TempPathFactory) -> nachsicht.History:
    """The weeks of the hive scales, recorded."""
    folder = tmp_path_factory.mktemp("scales")
    history = nachsicht.History(folder / "history")
    for label, path in write_weeks(folder).items():
        history.record(path, label=label)
    return history


@pytest.fixture(scope="session")
def browser() -> Iterator[object]:
    from playwright.sync_api import sync_playwright

    path = os.environ.get("NACHSICHT_BROWSER") or shutil.which("chromium")
    if path is None:
        if os.environ.get("CI") == "true":
            pytest.fail("no browser to test the page in, and nothing may be skipped here")
        pytest.skip("no browser to test the page in: install Chromium or set NACHSICHT_BROWSER")
    with sync_playwright() as playwright:
        launched = playwright.chromium.launch(executable_path=path, args=CHROMIUM_OPTIONS)
        yield launched
        launched.close()


@pytest.fixture
def open_page(browser) -> Iterator[Callable[..., object]]:
    """Opens a file; fails in the end if the page logged anything or asked for anything else."""
    context = browser.new_context(viewport={"width": 1280, "height": 800})
    seen: list[str] = []
    requests: list[str] = []

    def open_it(path: Path, address: str = "", **options: object):
        page = context.new_page()
        page.on("console", lambda message: seen.append(f"{message.type}: {message.text}"))
        page.on("pageerror", lambda error: seen.append(f"error: {error}"))
        page.on("request", lambda request: requests.append(request.url))
        page.goto(path.resolve().as_uri() + address)
        page.wait_for_selector(options.pop("wait_for", "main:not(.still)"))
        return page

    yield open_it
    context.close()
    assert seen == []
    # The file itself is the one thing that is asked for.
    assert requests
    assert [url for url in requests if not url.startswith("file:")] == []


@pytest.fixture
def page_data():
    """What a page was given, out of its HTML."""

    def read(text: str) -> dict:
        packed = re.search(r'id="nachsicht-data">(.*?)</script>', text)[1]
        return json.loads(gzip.decompress(base64.b64decode(packed)))["page"]

    return read
