"""The page as a whole: verdict, theme, print, frames, no script, keyboard, screen readers."""

import html
import os
from pathlib import Path

import pyarrow as pa
import pytest

import nachsicht

pytestmark = pytest.mark.browser


def test_the_verdict_and_every_finding_are_to_be_seen(open_page, written, demo_comparison):
    page = open_page(written["comparison"])
    verdict = page.locator("#verdict")
    assert demo_comparison.document.verdict.headline in verdict.inner_text()
    shown = verdict.locator(".finding-title").all_inner_texts()
    assert len(shown) == len(demo_comparison.findings)
    for text, finding in zip(shown, demo_comparison.findings, strict=True):
        assert text.startswith(finding.title)
        assert all(name in text for name in finding.columns)


def test_a_profile_shows_one_version_all_in_ink(open_page, written):
    page = open_page(written["2025"], "#column/air_temp_c")
    opened = page.locator("tbody[data-column=air_temp_c] .column-page")
    assert "-99 is a placeholder for missing values" in opened.inner_text()
    assert page.locator("svg .ghost").count() == 0
    assert "49 rows lie beyond this axis" in opened.inner_text()


def test_a_house_theme_gives_colours_and_logo_and_tells_of_low_contrast(open_page, tmp_path):
    logo = tmp_path / "house.svg"
    logo.write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="60" height="30"><script/></svg>'
    )
    theme = {"ink": "#7a1f0f", "ghost": "#dddddd", "logo": str(logo)}
    page = open_page(
        nachsicht.profile(pa.table({"w": range(50)}), theme=theme).write(tmp_path / "house.html")
    )
    ink = page.evaluate("getComputedStyle(document.querySelector('.mark.age-0')).backgroundColor")
    assert ink == "rgb(122, 31, 15)"
    assert page.locator("img.logo").bounding_box()["height"] == 30
    assert "ghost #dddddd has a contrast of 1.3" in page.locator("#origin").inner_text()


def test_the_origin_says_where_it_came_from(open_page, written):
    text = open_page(written["comparison"]).locator("#origin").inner_text()
    assert "hive_checks_2025.csv" in text
    assert nachsicht.__version__ in text


def test_print_shows_every_figure_without_scrolling(open_page, written, demo_comparison, tmp_path):
    page = open_page(written["comparison"])
    figures = page.locator(".ledger .spread-small svg")
    drawn = sum(c.distribution is not None for c in demo_comparison.document.columns)
    figures.first.wait_for()
    assert 0 < figures.count() < drawn
    page.pdf(path=tmp_path / "page.pdf")
    assert figures.count() == drawn
    for section in (".pair", ".components", ".time"):
        assert page.locator(f"{section} figure > [role=img] svg").count() >= 2
    assert page.locator("figure > [role=img]:not(:has(svg))").count() == 0
    assert (tmp_path / "page.pdf").stat().st_size > 50_000


def test_paper_of_a4_has_the_ledger_as_a_table_and_nothing_to_press(open_page, written):
    page = open_page(written["comparison"])
    page.set_viewport_size({"width": 718, "height": 1040})  # a sheet within its margins
    assert not page.locator(".contents").is_visible()
    page.emulate_media(media="print")
    assert page.locator(".contents").is_visible()
    leads = page.locator(".ways a").evaluate_all("all => all.map(a => a.getAttribute('href'))")
    assert all(page.locator(f"section{address}").count() == 1 for address in leads)
    row = page.locator("[data-column=inspector_code] > tr").first
    cells = "row => [...row.cells].map((cell) => cell.getBoundingClientRect().top)"
    assert len(set(row.evaluate(cells))) == 1
    assert page.locator(".lines > thead").first.is_visible()
    assert page.locator(".lines > thead th").first.bounding_box()["width"] > 100
    assert (
        page.locator("main button:not(.term > *), main summary:not(.rows *)")
        .filter(visible=True)
        .count()
        == 0
    )


def test_a_notebook_shows_the_page_in_a_sandboxed_frame(open_page, demo_comparison, tmp_path):
    (tmp_path / "notebook.html").write_text(
        f"<!doctype html><meta charset='utf-8'><main>{demo_comparison._repr_html_()}</main>"
    )
    page = open_page(tmp_path / "notebook.html")
    frame = page.frame_locator("iframe")
    frame.locator("tbody[data-column=mite_count] .column-name").click()
    assert frame.locator(".column-page").is_visible()
    frame.get_by_role("link", name="Origin").click()
    assert frame.locator("#origin").is_visible()
    assert page.locator("iframe").get_attribute("sandbox") == "allow-scripts allow-downloads"


def test_without_script_the_numbers_are_there(browser, written, demo_comparison):
    context = browser.new_context(java_script_enabled=False)
    page = context.new_page()
    page.goto(written["comparison"].as_uri())
    text = page.locator("body").inner_text()
    context.close()
    assert demo_comparison.document.verdict.headline in text
    for finding in demo_comparison.findings:
        assert finding.title in text
        assert html.unescape(finding.sentence) in text
    for column in demo_comparison.document.columns:
        assert column.name in text


@pytest.mark.parametrize("width", [360, 1280, 2560])
@pytest.mark.parametrize("name", ["comparison", "seasons"])
def test_nothing_sticks_out_sideways(open_page, written, width, name):
    page = open_page(written[name], "#column/honey_kg")
    page.set_viewport_size({"width": width, "height": 800})
    ledger, main = page.locator(".ledger"), page.locator("main")
    inside = main.bounding_box()["width"] + main.bounding_box()["x"]
    assert ledger.bounding_box()["width"] + ledger.bounding_box()["x"] <= inside
    wide = "document.documentElement.scrollWidth - document.documentElement.clientWidth"
    assert page.evaluate(wide) <= 0


def test_a_page_is_read_with_the_keyboard_alone(open_page, written):
    """From the first finding's evidence to its column, another way of drawing it, and back."""
    page = open_page(written["comparison"])

    def tab_to(role, name):
        for _ in range(80):
            page.keyboard.press("Tab")
            said = page.evaluate(
                "() => [document.activeElement.tagName, document.activeElement.textContent]"
            )
            if said[0] == role and said[1].strip().startswith(name):
                return
        pytest.fail(f"{name} cannot be reached")

    tab_to("A", "hive_weight")
    tab_to("SUMMARY", "Next step")
    page.keyboard.press("Enter")
    assert page.locator("#finding-0 .evidence").is_visible()
    page.locator("#finding-0 .spread-small svg").wait_for()
    page.keyboard.press("Shift+Tab")
    page.keyboard.press("Enter")
    opened = page.locator("tbody[data-column=hive_weight] .column-page")
    opened.wait_for()
    page.locator("tbody[data-column=hive_weight] .column-name").focus()
    tab_to("BUTTON", "density")
    page.keyboard.press("Space")
    assert opened.locator(".spread-large .shape-area").count() == 1
    page.keyboard.press("/")
    page.keyboard.type("gap")
    assert page.locator(".finder li").count() > 0


AXE = Path(__file__).parents[2] / "ui/node_modules/axe-core/axe.min.js"


@pytest.mark.parametrize("scheme", ["light", "dark"])
@pytest.mark.parametrize("name", ["comparison", "2025", "seasons"])
def test_nothing_stands_in_the_way_of_a_screen_reader(browser, written, name, scheme):
    if not AXE.exists():
        told = "the checker is not installed: run npm ci in ui/"
        pytest.fail(told) if os.environ.get("CI") == "true" else pytest.skip(told)
    # The policy of the page would keep the checker out.
    context = browser.new_context(
        viewport={"width": 1280, "height": 800}, color_scheme=scheme, bypass_csp=True
    )
    page = context.new_page()
    page.goto(written[name].resolve().as_uri() + "#column/mite_count")
    page.wait_for_selector(".column-page svg")
    page.add_script_tag(path=AXE)
    found = page.evaluate("axe.run().then(result => result.violations)")
    context.close()
    told = [(v["id"], [node["html"][:160] for node in v["nodes"][:3]]) for v in found]
    assert told == []
