"""The page in every width: no word broken, nothing overlapping or beyond it, all spreads drawn."""

import re
from itertools import pairwise

import numpy as np
import pandas as pd
import pytest

import nachsicht

pytestmark = pytest.mark.browser

#: What is wrong with the page as it is laid out now, a line each.
FAULTS = """
() => {
  const faults = [];
  const root = document.documentElement;
  if (root.scrollWidth > root.clientWidth) faults.push(`page is ${root.scrollWidth} wide`);
  const lines = (node) => {
    const range = document.createRange();
    range.selectNodeContents(node);
    return new Set([...range.getClientRects()].map((box) => Math.round(box.top))).size;
  };
  for (const name of document.querySelectorAll(".column-name"))
    for (const part of name.childNodes)
      if (part.nodeType === 3 && lines(part) > 1 && !/\\s/.test(part.data))
        faults.push(`broken: ${part.data}`);
  for (const small of document.querySelectorAll(".spread-small:not(.none)")) {
    const svg = small.querySelector("svg");
    if (svg && svg.getBoundingClientRect().width < 90) faults.push("a spread is too narrow");
  }
  const overlap = (one, other) =>
    one.right > other.left + 1 && other.right > one.left + 1 &&
    one.bottom > other.top + 1 && other.bottom > one.top + 1;
  for (const row of document.querySelectorAll(".lines > thead > tr, .line > tr:first-child")) {
    const boxes = [...row.children].map((cell) => {
      const range = document.createRange();
      range.selectNodeContents(cell);
      const box = range.getBoundingClientRect();
      return box.width ? box : null;
    });
    boxes.forEach((one, i) => boxes.slice(i + 1).forEach((other) => {
      if (one && other && overlap(one, other)) faults.push(`overlap: ${row.innerText}`);
    }));
  }
  return faults;
}
"""


def check(page):
    faults = {}
    for width in range(320, 2601, 20):
        page.set_viewport_size({"width": width, "height": 800})
        found = page.evaluate(FAULTS)
        if found:
            faults[width] = found[:4]
    assert not faults
    page.set_viewport_size({"width": 1280, "height": 800})
    page.mouse.wheel(0, 100)


def test_the_demo_fits_every_width(open_page, written):
    check(open_page(written["comparison"]))
    check(open_page(written["2025"]))


def test_long_labels_and_many_versions_fit_every_width(open_page, tmp_path):
    rng = np.random.default_rng(4)
    frame = pd.DataFrame({"honey_kg": rng.normal(20, 4, 300), "temper": ["calm", "lively"] * 150})
    labels = [f"delivery of the union in the week {n} of the long year" for n in range(4)]
    path = nachsicht.compare(*[frame] * 4, labels=labels).write(tmp_path / "weeks.html")
    check(open_page(path))
    assert re.search("week 3", path.read_text())


@pytest.mark.parametrize("versions", [1, 2, 5, 24, 60])
def test_a_history_fits_every_width(open_page, demo_history, versions, tmp_path):
    report = demo_history.courses(versions, title="The scales " + "of the union " * 20)
    page = open_page(report.write(tmp_path / "history.html"))
    check(page)
    page.locator(".column-name").nth(5).click()
    check(page)


def test_long_labels_of_a_history_are_cut_and_whole_on_demand(open_page, tmp_path):
    history = nachsicht.History(tmp_path / "long")
    names = [f"delivery of the union in the week {n} of the long year" for n in range(9)]
    for n, name in enumerate(names):
        history.record(pd.DataFrame({"honey_kg": np.arange(40.0) + n}), label=name)
    page = open_page(history.courses().write(tmp_path / "long.html"))
    check(page)
    boxes = page.locator(".strip-labels span").evaluate_all(
        "all => all.map(each => [each.getBoundingClientRect().left, "
        "each.getBoundingClientRect().right, each.title])"
    )
    assert boxes[-1][2] == names[-1]
    assert all(one[1] <= other[0] for one, other in pairwise(boxes))


@pytest.mark.parametrize("width", [360, 640, 800, 1100, 1280])
def test_definitions_open_inside_of_the_window(open_page, written, width):
    page = open_page(written["comparison"], "#explore")
    page.set_viewport_size({"width": width, "height": 700})
    page.wait_for_selector(".apart >> text=Chance alone")
    for top in range(0, page.evaluate("document.documentElement.scrollHeight"), 500):
        page.evaluate("top => scrollTo(0, top)", top)  # what is drawn later would move them
        page.wait_for_timeout(60)
    terms = page.locator(".term > button:visible")
    seen = 0
    for i in range(min(terms.count(), 25)):
        terms.nth(i).click()
        box = page.locator(".definition").bounding_box()
        assert box["x"] >= 0
        assert box["x"] + box["width"] <= width
        assert box["y"] + box["height"] <= 701
        page.keyboard.press("Escape")
        seen += 1
    assert seen >= 3
