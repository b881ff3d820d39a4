"""How large pages are and how fast they answer, in a real browser: `make bench-pages`.

Prints a table: the file's size, when its verdict and ledger are drawn, how long a column takes
to open (the slowest of its kinds, with its figure; numbers follow a frame later), how long all
figures take to answer a brush, and frames a second while the page is scrolled through.
"""

from __future__ import annotations

import re
import tempfile
from datetime import date, timedelta
from pathlib import Path
from typing import NamedTuple

import numpy as np
import pyarrow as pa
from data import mixed_table, wide_table
from playwright.sync_api import Page, sync_playwright

import nachsicht

CHROMIUM = "/usr/bin/chromium"
#: What is measured, the most megabytes, and the most milliseconds to the first view.
LIMITS = {
    "30 columns, two versions": (1.2, 400),
    "900 columns": (5.0, 1500),
    "900 columns, two versions": (5.0, 1500),
    "history, 24 versions of 100 columns": (3.0, 1500),
    "history, 365 versions of 50 columns": (3.0, 1500),
}
OPEN_MS, BRUSH_MS, FRAMES = 100, 50, 50
RUNS = 5

#: Notes when the ledger is there and painted.
WATCH = """
new MutationObserver((_, observer) => {
  if (!document.querySelector(".ledger .line")) return;
  observer.disconnect();
  requestAnimationFrame(() => setTimeout(() => (window.drawnAfter = performance.now())));
}).observe(document, { childList: true, subtree: true });
"""
#: A column's page, or its course in a history.
OPEN = """
async (name) => {
  const OPENED = ".column-page, .course";
  const began = performance.now();
  location.hash = "column/" + encodeURIComponent(name);
  while (!document.querySelector(OPENED)) await new Promise(requestAnimationFrame);
  await new Promise(requestAnimationFrame);
  const took = performance.now() - began;
  // Closing it is not a part of opening the next.
  location.hash = "columns";
  while (document.querySelector(OPENED)) await new Promise(requestAnimationFrame);
  await new Promise((done) => setTimeout(done, 100));
  return took;
}
"""
#: From the moment that a range is brushed to when all has answered and is painted.
BRUSH = """
async () => {
  location.hash = "explore";
  const found = () => document.querySelector(".facet-numbers svg");
  while (!found()) await new Promise(requestAnimationFrame);
  const svg = found();
  await new Promise((done) => setTimeout(done, 800));
  const box = svg.getBoundingClientRect();
  const point = (type, part) => svg.dispatchEvent(new PointerEvent(type, {
    clientX: box.left + part * box.width, clientY: box.top + 9, bubbles: true, pointerId: 1 }));
  svg.setPointerCapture = () => {};
  point("pointerdown", 0.2);
  const took = [];
  for (let part = 0.3; part < 0.9; part += 0.1) {
    await new Promise((done) => setTimeout(done, 100));
    const began = performance.now();
    point("pointermove", part);
    await new Promise(requestAnimationFrame);
    // A message comes after the frame that it was sent in is painted.
    await new Promise((done) => {
      const { port1, port2 } = new MessageChannel();
      port1.onmessage = done;
      port2.postMessage(0);
    });
    took.push(performance.now() - began);
  }
  point("pointerup", 0.9);
  return Math.max(...took);
}
"""
SCROLL = """
async () => {
  window.scrollTo(0, 0);
  await new Promise((done) => setTimeout(done, 500));
  let frames = 0;
  const began = performance.now();
  const ends = document.documentElement.scrollHeight - window.innerHeight;
  while (performance.now() - began < 4000 && window.scrollY < ends - 1) {
    window.scrollBy(0, 60);
    await new Promise(requestAnimationFrame);
    frames += 1;
  }
  return (1000 * frames) / (performance.now() - began);
}
"""


def versions_of(name: str) -> list[pa.Table]:
    """The tables of a page."""
    if name.startswith("history"):
        versions, columns = map(int, re.findall(r"\d+", name))
        return [wide_table(300, columns, seed) for seed in range(versions)]
    if name.startswith("30"):
        return [mixed_table(20_000, seed) for seed in (1, 2)]
    return [wide_table(2_000, 900, seed) for seed in range(2 if "two" in name else 1)]


def write_page(name: str, tables: list[pa.Table], path: Path) -> None:
    """The page of some versions."""
    if name.startswith("history"):
        history = nachsicht.History(path.with_suffix(f".{len(tables)}"))
        for day, table in enumerate(tables):
            moment = date(2025, 1, 1) + timedelta(days=day)
            history.record(table, label=f"{moment}", moment=moment)
        history.courses().write(path)
    elif len(tables) > 1:
        nachsicht.compare(*tables).write(path)
    else:
        nachsicht.profile(tables[0]).write(path)


class Measured(NamedTuple):
    """Medians of the runs in milliseconds, of a brush NaN where there is none; frames a second."""

    view: float
    opened: float
    brushed: float
    frames: float


def measure(page: Page, path: Path, columns: list[str]) -> Measured:
    """First view, slowest column, slowest answer to a brush, and scrolling."""
    views, opened, brushed = [], [], []
    for _ in range(RUNS):
        page.goto("about:blank")
        page.goto(path.as_uri())
        while not (drawn := page.evaluate("window.drawnAfter")):
            page.wait_for_timeout(20)
        views.append(drawn)
        page.wait_for_timeout(300)
        opened.append(max(page.evaluate(OPEN, name) for name in columns))
        explores = page.locator("#explore").count() > 0
        brushed.append(page.evaluate(BRUSH) if explores else float("nan"))
    view, column, brush = (float(np.median(values)) for values in (views, opened, brushed))
    return Measured(view, column, brush, page.evaluate(SCROLL))


def main() -> None:
    """Make the pages, measure them and print the table."""
    print("| page | MB | first view ms | column ms | brush ms | frames a second |")
    print("|---|--:|--:|--:|--:|--:|")
    with tempfile.TemporaryDirectory() as folder, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=["--no-sandbox"])
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.add_init_script(WATCH)
        for name, (most, first) in LIMITS.items():
            tables = versions_of(name)
            path = Path(folder) / "page.html"
            write_page(name, tables, path)
            found = measure(page, path, tables[-1].schema.names[:12])
            size = path.stat().st_size / 1e6
            print(
                f"| {name} | {size:.2f} (≤ {most}) | {found.view:.0f} (≤ {first}) |"
                f" {found.opened:.0f} (≤ {OPEN_MS}) | {found.brushed:.0f} (≤ {BRUSH_MS}) |"
                f" {found.frames:.0f} (≥ {FRAMES}) |",
                flush=True,
            )


if __name__ == "__main__":
    main()
