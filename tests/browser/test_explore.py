"""Explore: what is brushed on the page is what the data holds, and can be taken along."""

import re
import sqlite3
from contextlib import closing
from pathlib import Path

import numpy as np
import pandas as pd
import polars as pl
import pytest
from scipy import stats

import nachsicht

pytestmark = pytest.mark.browser


@pytest.fixture(scope="module")
def hives():
    rng = np.random.default_rng(11)
    n = 900
    frame = pd.DataFrame(
        {
            "mites": rng.poisson(4, n),
            "weight": rng.normal(40, 8, n).round(1),
            'hive "type"': rng.choice(["log", "long", "top-bar"], n, p=[0.2, 0.3, 0.5]),
            "checked": pd.Timestamp("2025-04-01")
            + pd.to_timedelta(rng.integers(0, 120, n), unit="D"),
            "grade": rng.choice([1, 2, 3], n),
        }
    )
    frame["strong"] = (frame["mites"] < 4) | (rng.random(n) < 0.2)
    frame.loc[rng.random(n) < 0.1, "weight"] = np.nan
    return frame


def facet(page, name):
    return page.locator(f".facet[data-facet='{name}']")


def chosen(page):
    return int(
        re.search(r"[\d,]+", page.locator(".chosen strong").inner_text())[0].replace(",", "")
    )


def drag(page, name, start, end):
    box = facet(page, name).locator(".facet-numbers svg").bounding_box()
    at = box["y"] + box["height"] / 2
    page.mouse.move(box["x"] + start * box["width"], at)
    page.mouse.down()
    page.mouse.move(box["x"] + end * box["width"], at, steps=4)
    page.mouse.up()


def test_a_choice_is_a_filter_that_picks_as_many_rows_of_the_data(open_page, hives, tmp_path):
    page = open_page(nachsicht.profile(hives).write(tmp_path / "hives.html"), "#explore")
    drag(page, "mites", 0.3, 0.7)
    drag(page, "checked", 0.1, 0.6)
    facet(page, 'hive "type"').get_by_role("button", name="long").click()
    facet(page, "strong").get_by_role("button", name="true").click()
    facet(page, "weight").get_by_role("button", name="missing").click()
    n = chosen(page)
    assert 0 < n < 100
    texts = {}
    for tongue in ("pandas", "Polars", "SQL"):
        page.locator(".chosen").get_by_role("button", name=tongue, exact=True).click()
        texts[tongue] = page.locator(".chosen pre").inner_text()
    assert len(eval(texts["pandas"], {"frame": hives})) == n  # noqa: S307
    frame = pl.from_pandas(hives)
    assert len(eval(texts["Polars"], {"frame": frame, "pl": pl})) == n  # noqa: S307
    with closing(sqlite3.connect(":memory:")) as database:
        hives.to_sql("hives", database)
        found = database.execute(f"SELECT count(*) FROM hives {texts['SQL']}")  # noqa: S608
        assert found.fetchone() == (n,)
    address = page.evaluate("location.href")
    with page.expect_download() as kept:
        page.get_by_role("button", name="keep as CSV").click()
    rows = pd.read_csv(Path(kept.value.path()))
    assert len(rows) == n
    assert rows["weight"].isna().all()
    page.reload()
    page.wait_for_selector(".chosen")
    assert page.evaluate("location.href") == address
    assert chosen(page) == n


def test_what_sets_the_chosen_rows_apart_is_what_scipy_finds(open_page, hives, tmp_path):
    page = open_page(nachsicht.profile(hives).write(tmp_path / "hives.html"), "#explore")
    facet(page, "strong").get_by_role("button", name="true").click()
    page.wait_for_selector(".apart >> text=Chance alone")
    lines = page.locator(".apart tbody tr")
    assert lines.first.locator("th").inner_text() == "mites"
    told = float(lines.first.locator("svg").get_attribute("aria-label"))
    one, other = (hives.loc[hives["strong"] == side, "mites"] for side in (True, False))
    assert told == pytest.approx(stats.ks_2samp(one, other).statistic, abs=0.006)
    assert f"{other.median():.0f} → {one.median():.0f}" in lines.first.inner_text()
    # Nothing else was made to differ.
    assert lines.count() == 1


def test_newer_rows_against_older_ones_by_keyboard(open_page, hives, tmp_path):
    newer = hives.assign(weight=hives["weight"] + 6)
    compared = nachsicht.compare(hives, newer, labels=["may", "june"])
    page = open_page(compared.write(tmp_path / "two.html"), "#explore")
    page.wait_for_selector(".apart tbody tr")
    assert "What sets june apart from may" in page.locator(".apart").inner_text()
    assert page.locator(".apart tbody th").first.inner_text() == "weight"
    assert chosen(page) == len(newer)
    low = facet(page, "mites").get_by_role("slider", name="mites: from")
    low.focus()
    for _ in range(3):
        page.keyboard.press("ArrowRight")
    edge = int(low.get_attribute("aria-valuetext"))
    assert chosen(page) == int((newer["mites"] >= edge).sum())
    page.keyboard.press("Home")
    assert chosen(page) == len(newer)


def test_any_column_against_any_other_coloured_or_split(open_page, hives, tmp_path):
    page = open_page(nachsicht.profile(hives).write(tmp_path / "hives.html"), "#explore")
    pickers = page.locator(".explore-middle select")
    pickers.nth(0).select_option("checked")
    pickers.nth(1).select_option("mites")
    pickers.nth(2).select_option('hive "type"')
    assert page.locator(".plane-legend").inner_text().split() == ["top-bar", "long", "log"]
    dots = [
        path.get_attribute("d").count("M")
        for path in page.locator(".plane > div > svg .dots").all()
    ]
    assert sum(dots) == len(hives)
    page.get_by_label("split").check()
    assert page.locator(".plane .plane-name").count() == 6
    page.get_by_text("The chosen rows, the first").click()
    page.wait_for_selector(".explore-rows thead th")
    heads = page.locator(".explore-rows thead th").all_inner_texts()
    assert heads[:3] == ["checked", "mites", 'hive "type"']


def test_a_page_that_carries_no_rows_has_no_such_section(open_page, hives, tmp_path):
    made = nachsicht.profile(hives, explore_rows=0)
    page = open_page(made.write(tmp_path / "none.html"))
    page.wait_for_selector("#relations")
    assert page.locator("#explore").count() == 0


def test_a_cell_of_the_matrix_leads_to_its_pair_among_the_rows(open_page, written):
    page = open_page(written["comparison"], "#relations")
    page.get_by_role("searchbox", name="Only columns with").fill("honey, temp")
    assert page.locator(".matrix rect").count() == 9
    page.locator(".matrix rect.positive").first.click()
    names = page.locator(".matrix figcaption a").all_inner_texts()
    page.locator(".matrix figcaption").get_by_role("button", name="Explore").click()
    pickers = page.locator(".explore-middle select")
    assert [pickers.nth(i).input_value() for i in (0, 1)] == names
    assert page.locator("#explore").bounding_box()["y"] < 200
