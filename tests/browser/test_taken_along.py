"""What is found on the page and taken along: words, files, code."""

import re
from pathlib import Path

import pandas as pd
import pytest

import nachsicht

pytestmark = pytest.mark.browser


def test_a_slash_finds_columns_findings_and_words_by_keyboard(open_page, written):
    page = open_page(written["comparison"])
    page.keyboard.press("/")
    page.keyboard.type("mite_c")
    page.keyboard.press("Enter")
    page.wait_for_selector("tbody[data-column=mite_count] .column-page")
    page.keyboard.press("/")
    page.keyboard.type("rescaled")
    page.keyboard.press("Enter")
    page.wait_for_selector("#finding-0 .evidence")
    assert page.url.endswith("#finding/0")
    page.keyboard.press("/")
    page.keyboard.type("interquartile range")
    page.wait_for_selector(".finder li")
    assert "range of the middle half" in page.locator(".finder").inner_text()
    page.keyboard.press("Escape")
    assert not page.locator(".finder").is_visible()


def test_figures_and_their_numbers_are_kept_as_files(open_page, tmp_path):
    hostile = "=1+2"
    frame = pd.DataFrame({"level": [hostile] * 30 + ["calm"] * 20, "n": [1.5, 2.5] * 25})
    page = open_page(nachsicht.profile(frame).write(tmp_path / "kept.html"), "#column/level")
    opened = page.locator(".column-page")
    opened.get_by_text("The figure's numbers").click()
    with page.expect_download() as kept:
        opened.get_by_role("button", name="as CSV").click()
    text = Path(kept.value.path()).read_text()
    assert kept.value.suggested_filename == "level.csv"
    assert text.splitlines()[1:] == ["'=1+2,30,60 %", "calm,20,40 %"]
    with page.expect_download() as kept:
        opened.get_by_role("button", name="as SVG").click()
    drawn = Path(kept.value.path()).read_text()
    assert drawn.startswith("<svg")
    assert 'xmlns="http://www.w3.org/2000/svg"' in drawn
    assert 'fill="rgb(59, 106, 106)"' in drawn
    with page.expect_download() as kept:
        opened.get_by_role("button", name="as PNG").click()
    assert Path(kept.value.path()).read_bytes().startswith(b"\x89PNG")


def test_a_finding_opens_the_code_that_mends_it(open_page, written, demo_files):
    page = open_page(written["comparison"], "#finding/0")
    remedy = page.locator("#finding-0 .remedy")
    frame = pd.read_csv(demo_files["hive_checks_2025.csv"])
    names = {"frame": frame}
    exec(remedy.locator("pre").inner_text(), names)  # noqa: S102 (that is what it is for)
    old = pd.read_csv(demo_files["hive_checks_2024.csv"])
    assert names["frame"]["hive_weight"].median() == pytest.approx(
        old["hive_weight"].median(), 0.03
    )
    page.context.grant_permissions(["clipboard-read", "clipboard-write"])
    remedy.get_by_role("button", name="copy").click()
    remedy.get_by_role("button", name="copied").wait_for()
    copied = page.evaluate("navigator.clipboard.readText()")
    assert copied == remedy.locator("pre").text_content()


def recipes_on(page):
    """The code of every recipe on the page, with all columns opened in all ways of drawing."""
    seen = set()
    read = """async () => {
        for (const recipe of document.querySelectorAll('.recipe')) recipe.open = true;
        await new Promise((done) => setTimeout(done, 100));
        return [...document.querySelectorAll('.recipe pre')].map((pre) => pre.textContent);
    }"""
    for name in page.locator(".ledger .line").evaluate_all(
        "all => all.map((l) => l.dataset.column)"
    ):
        page.goto(page.url.split("#")[0] + f"#column/{name}")
        page.locator(f"tbody[data-column={name}] .column-page .tables").wait_for()
        ways = page.locator(".spread-large .choice").first.locator("button")
        for way in ways.all() if page.locator(".spread-large .choice").count() > 1 else []:
            way.click()
            seen.update(page.evaluate(read))
        seen.update(page.evaluate(read))
    return seen


def test_every_recipe_of_the_page_runs_and_gives_the_same_numbers(
    open_page, demo_files, tmp_path, monkeypatch
):
    """With Nachsicht and with pandas; what both compute is held against each other."""
    monkeypatch.chdir(demo_files["hive_checks_2025.csv"].parent)
    paths = [f"hive_checks_{year}.csv" for year in (2024, 2025)]
    made = nachsicht.compare(*paths, outcome="overwintered")
    # Computed once; each recipe gets the same result.
    monkeypatch.setattr(nachsicht, "compare", lambda *_, **__: made)
    recipes = recipes_on(open_page(made.write(tmp_path / "x.html")))
    assert len(recipes) > 100
    found = {}
    for code in recipes:
        names = {}
        exec(code, names)  # noqa: S102 (that is what they are for)
        assert "figure" in names or "numbers" in names, code
        column = re.search(r"(?:made\.column\(|frame\[)(\".+?\")", code)
        what = re.search(
            r"\.(distribution|quantiles|to_frame|top_values)\(\)$|(histogram|quantile|agg|head)\(",
            code,
        )
        if column and what:
            found.setdefault(column[1], {})[what[1] or what[2]] = names["numbers"]
    held = 0
    for own in found.values():
        if "histogram" in own:
            assert own["distribution"]["rows 2025"].to_numpy().tolist() == own["histogram"].tolist()
            held += 1
        if "quantile" in own and "quantiles" in own:
            ours = own["quantiles"].query("version == '2025'")["value"].to_numpy()
            if len(ours) == len(own["quantile"]):
                assert own["quantile"].to_numpy() == pytest.approx(ours, rel=1e-12)
                held += 1
        if "agg" in own and "mean" in own["to_frame"]["statistic"].to_list():
            ours = own["to_frame"].set_index("statistic")["2025"]
            for theirs, name in (("mean", "mean"), ("std", "std"), ("skew", "skewness")):
                assert own["agg"][theirs] == pytest.approx(ours[name], rel=1e-9)
            held += 1
    assert held > 8
