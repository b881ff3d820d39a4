"""The ledger and the columns' pages, as a person would use them."""

import re

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest

import nachsicht

pytestmark = pytest.mark.browser


def test_a_line_opens_in_place_and_closes(open_page, written):
    page = open_page(written["comparison"])
    line = page.locator("tbody[data-column=mite_count]")
    assert line.locator(".column-page").count() == 0
    line.get_by_role("link", name="mite_count").click()
    opened = line.locator(".column-page")
    assert "Typical value rose 2 → 3" in opened.inner_text()
    assert opened.locator("svg .ink rect, svg .ink path").count() > 10
    assert opened.locator("svg .ghost").count() >= 1
    assert page.url.endswith("#column/mite_count")
    line.get_by_role("link", name="mite_count").click()
    assert line.locator(".column-page").count() == 0


def test_a_finding_leads_to_its_column(open_page, written):
    page = open_page(written["comparison"])
    page.locator("#verdict").get_by_role("link", name="hive_weight").click()
    assert page.locator("tbody[data-column=hive_weight] .column-page").is_visible()


def test_an_address_opens_its_column(open_page, written):
    page = open_page(written["comparison"], "#column/temper")
    opened = page.locator("tbody[data-column=temper] .column-page")
    assert opened.is_visible()
    assert opened.locator(".spread-large svg").get_by_text("Calm", exact=True).count() == 1


def test_figures_show_the_numbers_of_the_document(open_page, written, demo_comparison):
    page = open_page(written["comparison"], "#column/hive_type")
    page.locator(".spread-large").get_by_text("The figure's numbers").click()
    rows = page.locator(".spread-large .behind tbody tr")
    rows.first.wait_for()
    shown = {
        row.locator("th").inner_text(): row.locator("td").all_inner_texts()[::2]
        for row in rows.all()
    }
    details = [v.column("hive_type").stats for v in demo_comparison.document.versions]
    for level in details[1].levels:
        old = next(other.count for other in details[0].levels if other.value == level.value)
        assert shown[level.value] == [f"{old:,}", f"{level.count:,}"]


def test_a_spread_is_drawn_in_several_ways(open_page, tmp_path):
    """Bars of any width, on a logarithmic axis, as rows; curves and a box with their numbers."""
    rng = np.random.default_rng(5)
    versions = [pa.table({"weight": np.r_[0.0, rng.lognormal(2, 1.2, 3000) * k]}) for k in (1, 3)]
    made = nachsicht.compare(*versions, labels=["before", "after"])
    page = open_page(made.write(tmp_path / "x.html"), "#column/weight")
    figure = page.locator(".spread-large")
    numbers = figure.locator(".behind")
    rows = numbers.locator("tbody tr")
    page.locator(".spread-large .behind summary").click()
    rows.first.wait_for()
    many = rows.count()
    figure.get_by_label("Bins").select_option("9")
    assert rows.count() <= 9 < many
    counts = numbers.locator("tbody tr").evaluate_all(
        "rows => rows.map((row) => Number(row.cells[3].textContent.replaceAll(',', '')))"
    )
    after = made.document.columns[0].distribution
    assert sum(counts) == sum(after.counts[1])
    figure.get_by_role("button", name="rows").click()
    assert "1,000" in figure.locator("svg").text_content()
    figure.get_by_role("button", name="logarithmic").click()
    assert "before: 1 rows of 0 or below have no logarithm" in figure.inner_text()
    assert max(1, rows.count()) <= 9
    figure.get_by_role("button", name="cumulative").click()
    values = np.sort(versions[1]["weight"].to_numpy())
    for row in numbers.locator("tbody tr").all()[-100::25]:
        label, value, share = row.locator("th, td").all_inner_texts()
        assert label == "after"
        below = np.searchsorted(values, float(value) * (1 + 1e-4), "right") / len(values)
        assert float(share) == pytest.approx(below, abs=0.005)
    figure.get_by_role("button", name="box").click()
    quartiles = np.quantile(values, [0.25, 0.5, 0.75])
    told = numbers.locator("tbody tr:nth-child(n+2):nth-child(-n+4) td:nth-child(3)")
    assert [float(t) for t in told.all_inner_texts()] == pytest.approx(quartiles, rel=1e-4)
    for way in ("density", "against the normal"):
        figure.get_by_role("button", name=way).click()
        assert figure.locator("svg .shape-new").count() >= 1
        assert figure.locator("svg .shape-old").count() >= 1
        assert rows.count() > 100
    assert way in figure.locator("[role=img]").get_attribute("aria-label")


def test_a_column_tells_differences_relations_and_its_course_over_time(
    open_page, demo_files, tmp_path
):
    paths = [demo_files[f"hive_checks_{year}.csv"] for year in (2024, 2025)]
    old, new = map(pd.read_csv, paths)
    page = open_page(nachsicht.compare(*paths).write(tmp_path / "x.html"), "#column/mite_count")
    opened = page.locator(".column-page")
    row = opened.locator("tr", has=page.get_by_role("rowheader", name="median", exact=True)).first
    difference = new["mite_count"].median() - old["mite_count"].median()
    assert row.locator("td").last.inner_text() == f"+{difference:g}"
    opened.locator(".column-time svg").wait_for()
    table = opened.locator("table", has_text="Associated with")
    line = table.locator("tbody tr", has_text="Rank correlation").first
    other = line.locator("a").inner_text()
    shown = float(line.locator("td.number").inner_text().split()[0].replace("−", "-"))
    truth = new[["mite_count", other]].corr("spearman").iloc[0, 1]
    assert shown == pytest.approx(truth, abs=0.006)
    line.locator("a").click()
    assert "mite_count" in page.url
    assert other in page.url


def test_moments_show_their_cycles_and_levels_their_rarest(open_page, demo_files, tmp_path):
    path = demo_files["hive_checks_2025.csv"]
    when = pd.to_datetime(pd.read_csv(path)["checked_at"])
    page = open_page(nachsicht.profile(path).write(tmp_path / "x.html"), "#column/checked_at")
    cycles = page.locator(".cycles figure")
    for figure, expected in zip(
        cycles.all(), (when.dt.month, when.dt.day_of_week, when.dt.hour), strict=True
    ):
        figure.get_by_text("The figure's numbers").click()
        shown = [int(t) for t in figure.locator("tbody td:last-child").all_inner_texts()]
        counts = expected.value_counts()
        places = range(1, 13) if len(shown) == 12 else range(len(shown))
        assert shown == [counts.get(i, 0) for i in places]
    page.goto(page.url.split("#")[0] + "#column/treatment")
    rarest = page.locator(".column-page table", has_text="Rarest values")
    counts = pd.read_csv(path)["treatment"].value_counts()
    listed = [text.strip() for text in rarest.locator("tbody th").all_inner_texts()]
    assert sorted(counts[listed]) == sorted(counts)[: len(listed)]
    page.goto(page.url.split("#")[0] + "#column/check_id")
    shapes = page.locator(".column-page table", has_text="Patterns")
    assert "A99-99999" in shapes.inner_text()
    overview = page.locator(".overview").inner_text()
    assert "rows\n6,084" in overview
    assert re.search(r"\d quantity", overview)
    assert "period\n2025-03-17 – 2025-10-17" in overview


def test_search_kind_and_change_narrow_the_ledger(open_page, written):
    page = open_page(written["comparison"])
    names = page.locator(".column-name")
    assert names.count() == 20
    page.get_by_role("searchbox", name="Find a column").fill("HIVE")
    assert names.all_inner_texts() == ["hive_id", "hive_type", "hive_weight"]
    page.get_by_role("searchbox", name="Find a column").fill("no such column")
    assert page.get_by_text("No column matches").is_visible()
    page.get_by_role("searchbox", name="Find a column").fill("")
    page.get_by_label("all kinds").select_option("flag")
    assert names.all_inner_texts() == ["queen_seen", "overwintered"]
    page.get_by_label("all kinds").select_option("")
    page.get_by_label("changed only").check()
    assert names.count() == 7
    page.get_by_label("Sort").select_option("change")
    assert names.first.inner_text() == "hive_weight"


def test_a_word_is_explained_by_keyboard_alone(open_page, written):
    page = open_page(written["comparison"])
    term = page.locator(".ledger thead").get_by_role("button", name="typical")
    term.focus()
    page.keyboard.press("Enter")
    assert "median" in page.get_by_role("tooltip").inner_text()
    page.keyboard.press("Escape")
    assert page.get_by_role("tooltip").count() == 0


def test_three_versions_pale_with_age_and_name_the_step_of_a_finding(open_page, written):
    page = open_page(written["seasons"], "#column/brood_frames")
    titles = page.locator("#verdict .finding-title").all_inner_texts()
    assert any("placeholder for missing values" in t and t.endswith("2023 → 2024") for t in titles)
    figure = page.locator("tbody[data-column=brood_frames] .spread-large svg")
    assert figure.locator(".ghost-1").count() == figure.locator(".ghost-2").count() == 1
    tables = page.locator(".tables thead")
    tables.first.wait_for()
    heads = [tables.nth(i).locator("th").all_inner_texts() for i in (0, 1)]
    assert heads[0][1:] == ["2023 → 2024", "2024 → 2025", "2023 → 2025"]
    assert [head.strip() for head in heads[1][1:]] == ["2023", "2024", "2025", "difference"]
