"""Takes the pictures of this folder anew, from the demo data: `make screenshots`.

Needs Chromium for the pages; Xvfb, xterm and ImageMagick for the terminal.
"""

from __future__ import annotations

import runpy
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import pandas as pd
from matplotlib.figure import Figure
from playwright.sync_api import sync_playwright

import nachsicht
from nachsicht.demo.files import copy_files, write_weeks
from nachsicht.output.history_report import HistoryReport

HERE = Path(__file__).parent
SIZE = {"width": 1280, "height": 800}
#: Name of the picture, page, address, width, colour scheme.
PAGES = (
    ("comparison", "comparison", "", 1280, "light"),
    ("comparison_column", "comparison", "#column/hive_weight", 1280, "light"),
    ("finding", "comparison", "#finding/0", 1280, "light"),
    ("comparison_dark", "comparison", "#column/temper", 1280, "dark"),
    ("comparison_phone", "comparison", "", 360, "light"),
    ("comparison_german", "german", "", 1280, "light"),
    ("profile", "profile", "", 1280, "light"),
    ("groups", "groups", "", 1280, "light"),
    ("outcome", "outcome", "#outcome", 1280, "light"),
    ("missing", "outcome", "#missing", 1280, "light"),
    ("rows", "corrected", "#rows", 1280, "light"),
    ("relations", "outcome", "#relations", 1280, "light"),
    ("pair", "outcome", "#pair/brood_frames/hive_weight", 1280, "light"),
    (
        "explore",
        "outcome",
        "#explore/across=brood_frames&up=hive_weight&by=overwintered&among=1&in=mite_count:8..",
        1280,
        "light",
    ),
    ("history", "history", "#column/bee_traffic", 1280, "light"),
    ("time", "comparison", "#time", 1280, "light"),
)


def take_pages(pages: dict[str, Path]) -> None:
    """Pictures of the pages in Chromium."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path=shutil.which("chromium"),
            args=["--no-sandbox", "--disable-gpu", "--disable-background-networking"],
        )
        for name, page_name, address, width, scheme in PAGES:
            page = browser.new_page(viewport={**SIZE, "width": width}, color_scheme=scheme)
            page.goto(pages[page_name].resolve().as_uri() + address)
            page.wait_for_selector(".ledger svg")
            if address.startswith("#pair"):
                page.locator(".pair").evaluate("pair => pair.scrollIntoView()")
            if page_name == "history":  # the strip belongs to it
                page.evaluate("scrollTo(0, 0)")
            page.wait_for_timeout(600)
            page.screenshot(path=HERE / f"{name}.png")
            page.close()
        browser.close()


def corrected(path: Path) -> nachsicht.Comparison:
    """A delivery, and the same after somebody went over it."""
    first = pd.read_csv(path)
    later = first.drop(index=range(40, 52)).copy()
    honey = later.index[later["honey_kg"] > 0][::9]
    later.loc[honey, "honey_kg"] = (later.loc[honey, "honey_kg"] + 1.5).round(1)
    later.loc[later.index[later["temper"] == "fierce"][:14], "temper"] = "lively"
    return nachsicht.compare(first, later, labels=["first delivery", "corrected"])


def take_figures(comparison: nachsicht.Comparison) -> None:
    """A sheet of figures, each drawn into axes of its own."""
    figure = Figure(figsize=(14, 9), layout="constrained", facecolor="#fbfaf7")
    axes = figure.subplots(3, 3).flat
    weight = comparison.column("hive_weight")
    for kind in ("bars", "density", "cumulative", "box", "normal"):
        weight.figure(kind, ax=next(axes))
    comparison.relations.pair("brood_frames", "hive_weight").figure(ax=next(axes))
    comparison.outcome.figure(ax=next(axes))
    comparison.time.figure("mite_count", ax=next(axes))
    comparison.column("temper").figure("top_values", ax=next(axes))
    figure.savefig(HERE / "figures.png", dpi=90)


def scales_of(folder: Path) -> HistoryReport:
    """What happened to the hive scales, week by week."""
    history = nachsicht.History(folder / "history")
    for label, path in write_weeks(folder / "weekly").items():
        history.record(path, label=label)
    return history.courses(title="Hive scales, week by week")


def weeks_of_scales(folder: Path) -> None:
    """The history of the example, in a folder."""
    readings = runpy.run_path(str(HERE.parents[1] / "examples" / "weeks_of_scales.py"))
    shutil.copytree(readings["history"].folder, folder)


def take_terminal(command: str, folder: Path, target: Path, lines: int) -> None:
    """A picture of what a command prints in a real terminal, in a window of its own screen."""
    shell = f"{command}; sleep 60"
    screen = subprocess.Popen(["Xvfb", ":77", "-screen", "0", "1280x1300x24"])
    environment = {"DISPLAY": ":77", "PATH": f"{Path(sys.executable).parent}:/usr/bin:/bin"}
    environment |= {
        "FORCE_COLOR": "1",
        "COLORTERM": "truecolor",
        "LANG": "C.UTF-8",
        "COLUMNS": "80",
    }
    time.sleep(1)
    terminal = subprocess.Popen(
        ["xterm", "-fa", "DejaVu Sans Mono", "-fs", "11", "-geometry", f"82x{lines}+0+0", "-u8",
         "-bg", "#191816", "-fg", "#ece8df", "-e", "sh", "-c", shell],
        env=environment, cwd=folder,
    )  # fmt: skip
    time.sleep(5)
    subprocess.run(["import", "-window", "root", "-trim", str(target)], env=environment, check=True)
    terminal.kill()
    screen.kill()


def main() -> None:
    """Take all pictures."""
    with tempfile.TemporaryDirectory() as folder:
        files = copy_files(Path(folder))
        paths = files["hive_checks_2024.csv"], files["hive_checks_2025.csv"]
        comparison = nachsicht.compare(*paths)
        outcome = nachsicht.compare(*paths, outcome="overwintered")
        german = nachsicht.compare(*paths, language=["de", "en"])
        take_figures(outcome)
        take_pages(
            {
                "comparison": comparison.write(Path(folder) / "comparison.html"),
                "german": german.write(Path(folder) / "german.html"),
                "profile": comparison.versions[-1].write(Path(folder) / "profile.html"),
                "outcome": outcome.write(Path(folder) / "outcome.html"),
                "groups": nachsicht.compare_groups(
                    files["hive_checks_2024.csv"], by="hive_type"
                ).write(Path(folder) / "groups.html"),
                "history": scales_of(Path(folder)).write(Path(folder) / "history.html"),
                "corrected": corrected(files["hive_checks_2024.csv"]).write(
                    Path(folder) / "corrected.html"
                ),
            }
        )
        if all(map(shutil.which, ("Xvfb", "xterm", "import"))):
            compared = "nachsicht compare hive_checks_2024.csv hive_checks_2025.csv"
            take_terminal(compared, Path(folder), HERE / "terminal.png", 62)
            weeks_of_scales(Path(folder) / "scales")
            shown = HERE / "terminal_history.png"
            take_terminal("nachsicht history scales", Path(folder), shown, 12)
        else:
            sys.stderr.write("No picture of the terminal: Xvfb, xterm or ImageMagick is missing.\n")


if __name__ == "__main__":
    main()
