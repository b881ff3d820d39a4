"""A page of many columns: what is out of sight is passed over, and nothing of it is lost."""

import numpy as np
import pyarrow as pa
import pytest
from playwright.sync_api import expect

import nachsicht

pytestmark = pytest.mark.browser

COLUMNS = 200


@pytest.fixture(scope="module")
def wide(tmp_path_factory):
    rng = np.random.default_rng(5)
    weights = {f"scale_{i:03d}_kg": rng.normal(30 + i, 4, 400) for i in reversed(range(COLUMNS))}
    path = tmp_path_factory.mktemp("wide") / "wide.html"
    return nachsicht.profile(pa.table(weights), title="Hive scales").write(path)


def test_lines_out_of_sight_are_passed_over_until_they_are_scrolled_to(open_page, wide):
    page = open_page(wide)
    line = page.locator("[data-column=scale_120_kg]")
    line.wait_for(state="attached")
    drawn = "line => line.checkVisibility({ contentVisibilityAuto: true })"
    assert not line.evaluate(drawn)
    line.scroll_into_view_if_needed()
    line.locator("svg").wait_for()
    assert line.evaluate(drawn)
    first, far = page.locator(".line").first, line
    widths = "line => [...line.rows[0].cells].map((cell) => cell.getBoundingClientRect().width)"
    assert far.evaluate(widths) == first.evaluate(widths)


def test_an_address_leads_to_a_column_far_below(open_page, wide):
    page = open_page(wide, "#column/scale_187_kg")
    opened = page.locator("[data-column=scale_187_kg]")
    opened.locator(".column-page").wait_for()
    assert 0 <= opened.bounding_box()["y"] < 100
    page.keyboard.press("/")
    page.get_by_role("searchbox", name="Find").last.fill("scale_003")
    page.keyboard.press("Enter")
    opened = page.locator("[data-column=scale_003_kg]")
    opened.locator(".column-page").wait_for()
    assert 0 <= opened.bounding_box()["y"] < 100


def test_a_reader_that_does_not_see_finds_one_table(open_page, wide):
    page = open_page(wide)
    page.locator("[data-column=scale_000_kg]").wait_for(state="attached")
    table = page.get_by_role("table", name="Columns")
    assert table.count() == 1
    heads = table.get_by_role("columnheader").all_inner_texts()
    assert " ".join(map(str.strip, heads)) == "column distribution typical missing distinct"
    assert table.get_by_role("rowheader").count() == COLUMNS


def test_sorting_and_narrowing_reach_all_columns(open_page, wide):
    page = open_page(wide)
    names = page.locator(".column-name")
    page.locator("[data-column=scale_000_kg]").wait_for(state="attached")
    page.get_by_role("searchbox", name="Find a column").fill("scale_19")
    expect(names).to_have_text([f"scale_19{i}_kg" for i in reversed(range(10))])
    expect(names.first).to_be_visible()
    page.get_by_role("searchbox", name="Find a column").fill("")
    expect(names).to_have_count(COLUMNS)
    page.get_by_label("Sort").select_option("name")
    expect(names.first).to_have_text("scale_000_kg")


def test_print_has_every_line_with_its_figure(open_page, wide, tmp_path):
    page = open_page(wide)
    page.locator("[data-column=scale_000_kg]").wait_for(state="attached")
    page.pdf(path=tmp_path / "wide.pdf")
    assert page.locator(".line .spread-small svg").count() == COLUMNS
    page.emulate_media(media="print")
    assert page.locator("[data-column=scale_150_kg]").evaluate(
        "line => line.checkVisibility({ contentVisibilityAuto: true })"
    )


def test_many_names_stand_behind_their_number(open_page, tmp_path):
    rng = np.random.default_rng(6)
    columns = {f"scale_{i}": rng.normal(30, 4, 100) for i in range(4)}
    empty = [f"tare_{i:02d}" for i in range(40)]
    table = pa.table(columns | dict.fromkeys(empty, np.zeros(100)))
    page = open_page(nachsicht.profile(table).write(tmp_path / "page.html"))
    # By key: what comes in above may move it from under the pointer.
    page.locator(".notes > summary").press("Enter")
    page.locator(".relations summary", has_text="40 columns are excluded").press("Enter")
    names = page.locator(".notes details[open] p").inner_text()
    assert [name.split()[0] for name in names.split(", ")] == empty


def test_findings_of_one_sort_are_folded_beyond_the_first_and_an_address_opens_them(
    open_page, tmp_path
):
    rng = np.random.default_rng(7)
    yields = {f"yield_{i}": rng.lognormal(1, 2, 400) for i in range(12)}
    profile = nachsicht.profile(pa.table(yields))
    tails = [f for f in profile.findings if f.title == "Long tail to the right"]
    assert len(tails) == 12
    page = open_page(profile.write(tmp_path / "page.html"))
    titles = page.locator("#verdict h3", has_text="Long tail to the right")
    assert titles.filter(visible=True).count() == 5
    page.get_by_text("7 more: Long tail to the right").click()
    assert titles.filter(visible=True).count() == 12
    last = profile.findings.index(tails[-1])
    page = open_page(tmp_path / "page.html", f"#finding/{last}")
    assert page.locator(f"#finding-{last}").get_by_text("Next step").is_visible()
    page = open_page(tmp_path / "page.html")
    page.emulate_media(media="print")
    height = "finding => finding.getBoundingClientRect().height"
    assert page.locator(f"#finding-{last}").evaluate(height) > 0
