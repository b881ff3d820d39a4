"""The page in a real browser, used as a person would."""

import html
import os
import re
from pathlib import Path

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest

import nachsicht

pytestmark = pytest.mark.browser

HOSTILE = "</script><script>document.title='taken'</script><img src=x onerror=alert(1)>"


@pytest.fixture(scope="module")
def written(demo_comparison, demo_files, tmp_path_factory):
    folder = tmp_path_factory.mktemp("pages")
    pages = {"comparison": demo_comparison.write(folder / "comparison.html")}
    for profile in demo_comparison.versions:
        pages[profile.label] = profile.write(folder / f"{profile.label}.html")
    seasons = nachsicht.compare(*(demo_files[f"hive_checks_{y}.csv"] for y in (2023, 2024, 2025)))
    pages["seasons"] = seasons.write(folder / "seasons.html")
    return pages


def test_the_verdict_and_every_finding_are_to_be_seen(open_page, written, demo_comparison):
    page = open_page(written["comparison"])
    verdict = page.locator("#verdict")
    assert demo_comparison.document.verdict.lead in verdict.inner_text()
    shown = verdict.locator(".finding-title").all_inner_texts()
    assert len(shown) == len(demo_comparison.findings)
    for text, finding in zip(shown, demo_comparison.findings, strict=True):
        assert text.startswith(finding.title)
        assert all(name in text for name in finding.columns)


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
    shown = {
        row.locator("th").inner_text(): row.locator("td").all_inner_texts()[::2]
        for row in rows.all()
    }
    details = [v.column("hive_type").detail for v in demo_comparison.document.versions]
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
    many = rows.count()
    figure.get_by_label("Bins").select_option("9")
    assert rows.count() <= 9 < many
    page.locator(".spread-large .behind summary").click()
    counts = numbers.locator("tbody tr").evaluate_all(
        "rows => rows.map((row) => Number(row.cells[3].textContent.replaceAll(',', '')))"
    )
    after = made.document.columns[0].spread
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
    table = opened.locator("table", has_text="Goes together with")
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
    shapes = page.locator(".column-page table", has_text="Shapes")
    assert "A99-99999" in shapes.inner_text()
    page.get_by_text("The version", exact=True).click()
    facts = page.locator(".version-facts")
    assert "6,084" in facts.inner_text()
    assert re.search(r"\d quantity", facts.inner_text())


def test_search_kind_and_change_narrow_the_ledger(open_page, written):
    page = open_page(written["comparison"])
    names = page.locator(".column-name")
    assert names.count() == 20
    page.get_by_role("searchbox").fill("HIVE")
    assert names.all_inner_texts() == ["hive_id", "hive_type", "hive_weight"]
    page.get_by_role("searchbox").fill("no such column")
    assert page.get_by_text("No column fits").is_visible()
    page.get_by_role("searchbox").fill("")
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


def test_a_profile_shows_one_version_all_in_ink(open_page, written):
    page = open_page(written["2025"], "#column/air_temp_c")
    opened = page.locator("tbody[data-column=air_temp_c] .column-page")
    assert "-99 stands in for missing" in opened.inner_text()
    assert page.locator("svg .ghost").count() == 0
    assert "49 rows lie beyond this axis" in opened.inner_text()


def test_three_versions_pale_with_age_and_name_the_step_of_a_finding(open_page, written):
    page = open_page(written["seasons"], "#column/brood_frames")
    titles = page.locator("#verdict .finding-title").all_inner_texts()
    assert any("stands in for missing" in t and t.endswith("2023 → 2024") for t in titles)
    figure = page.locator("tbody[data-column=brood_frames] .spread-large svg")
    assert figure.locator(".ghost-1").count() == figure.locator(".ghost-2").count() == 1
    tables = page.locator(".tables thead")
    heads = [tables.nth(i).locator("th").all_inner_texts() for i in (0, 1)]
    assert heads[0][1:] == ["2023 → 2024", "2024 → 2025", "2023 → 2025"]
    assert [head.strip() for head in heads[1][1:]] == ["2023", "2024", "2025", "difference"]


def test_rows_relations_and_accepted_findings_are_there_where_they_are(open_page, tmp_path):
    rng = np.random.default_rng(8)
    n = 900
    frame = pd.DataFrame(
        {
            "tag": [f"H{i:04d}" for i in range(n)],
            "frames": rng.integers(3, 20, n),
            "honey": np.round(rng.gamma(3, 4, n), 1),
        }
    )
    frame["weight"] = frame["frames"] * 2.5 + np.round(rng.normal(0, 2, n), 1)
    later = frame.drop(index=[0, 1]).assign(weight=rng.permutation(frame["weight"])[2:])
    later.loc[5:30, "honey"] += 0.1
    known = tmp_path / "known.toml"
    known.write_text(
        '[[accepted]]\ncode = "cells_changed"\ncolumn = "honey"\nbecause = "<b>late</b> jars"\n'
    )
    compared = nachsicht.compare(frame, later, labels=["may", "june"], accepted=str(known))
    page = open_page(compared.write(tmp_path / "rows.html"), "#rows")
    told = page.locator("#rows").inner_text()
    assert "Rows by tag:" in told
    assert "0 added, 2 removed" in told
    assert "H0000 · H0001" in told
    cells = page.locator("#rows table").first.locator("tbody tr")
    assert cells.nth(1).inner_text().split() == ["honey", "26", "2.9", "%"]
    changed = page.locator("#relations .wide tbody tr").first.inner_text()
    assert "frames × weight" in changed.replace("\n", " ")
    assert page.locator(".accepted .finding").count() == 1
    page.locator(".accepted summary").first.click()
    assert "Accepted: <b>late</b> jars" in page.locator(".accepted").inner_text()
    page.locator("#rows a.name").first.click()
    assert page.locator("tbody[data-column=weight] .column-page").is_visible()


def test_gaps_rows_and_the_outcome_are_shown(open_page, demo_files, tmp_path):
    files = [demo_files[f"hive_checks_{year}.csv"] for year in (2024, 2025)]
    compared = nachsicht.compare(*files, outcome="overwintered")
    page = open_page(compared.write(tmp_path / "outcome.html"), "#outcome")
    first = page.locator("#outcome tbody tr").first
    assert "mite_count" in first.inner_text()
    bars = first.locator("svg.outcome-bars")
    assert bars.locator("rect.bar").count() > 5
    assert re.search(r"missing: \d", bars.get_attribute("aria-label"))
    renamed = page.locator("#outcome tbody tr", has_text="inspector_code").inner_text()
    assert "–" not in renamed
    page.locator("nav a", has_text="Relations").click()
    relations = compared.document.versions[-1].relations
    cell = page.locator(".matrix rect.positive").first
    told = cell.locator("title").text_content()
    cell.click()
    caption = page.locator(".matrix figcaption")
    assert told.split(": ")[0] in caption.inner_text()
    difference = page.locator(".matrix button").nth(2)
    difference.click()
    assert "(difference)" in caption.inner_text()
    assert difference.get_attribute("aria-pressed") == "true"
    strongest = max(relations.pairs, key=lambda pair: abs(pair.strength))
    first = page.locator("#relations .side-by-side table tbody tr").first.inner_text()
    assert strongest.one in first
    page.locator("nav a", has_text="Gaps").click()
    facts = page.locator("#gaps table").first.inner_text()
    complete = [version.gaps.complete_rows for version in compared.document.versions]
    assert all(f"{rows:,}" in facts for rows in complete)
    line = page.locator(".gap-columns tbody tr", has_text="overwintered")
    assert "0.4 % → 9.1 %" in line.inner_text()
    assert line.locator(".strip-part").count() > 20
    overwintered = [v.column("overwintered") for v in compared.document.versions]
    switch = page.locator("#gaps .choice button")
    switch.first.click()
    assert f"{overwintered[0].missing:,}" in line.inner_text()
    assert "→" not in line.inner_text()
    switch.last.click()
    points = 100 * (overwintered[1].missing_share - overwintered[0].missing_share)
    largest = page.locator(".gap-columns tbody tr").first
    assert f"+{points:.2f}" in largest.inner_text()
    assert "overwintered" in largest.inner_text()
    assert largest.locator("svg.strip").count() == 2
    assert f"{points:.2f} points" in largest.locator(".change-bar").get_attribute("aria-label")
    shown = page.locator(".excerpt").nth(1)
    shown.locator("summary").click()
    assert shown.locator("tbody").count() == 3
    assert shown.locator("tbody tr").first.locator("td").first.inner_text() == "C25-00001"
    page.locator(".gap-columns a.name", has_text="overwintered").click()
    opened = page.locator("tbody[data-column=overwintered] .column-page")
    assert opened.is_visible()


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


def test_groups_are_named_and_have_no_order(open_page, demo_files, tmp_path):
    groups = nachsicht.compare_groups(demo_files["hive_checks_2024.csv"], by="hive_type")
    page = open_page(groups.write(tmp_path / "groups.html"))
    assert page.locator(".versions .version strong").all_inner_texts() == [
        *("log", "long", "stacked", "top-bar")
    ]
    assert "→" not in page.locator(".versions").inner_text()
    assert "apart from the rest" in page.locator(".lead").inner_text()


def test_the_origin_says_where_it_came_from(open_page, written):
    text = open_page(written["comparison"]).locator("#origin").inner_text()
    assert "hive_checks_2025.csv" in text
    assert nachsicht.__version__ in text


def hostile_table(suffix: str = "") -> pa.Table:
    levels = [HOSTILE, HOSTILE + suffix, "=cmd()", "\u2028<!--"] * 30
    return pa.table({HOSTILE: levels, "{{ 7 * 7 }}": levels, "constructor": range(120)})


def test_the_origin_keeps_the_settings_that_made_the_page(open_page, tmp_path):
    made = nachsicht.profile(
        hostile_table(), omit=["unused*"], findings={"constant": {"off": True}}
    )
    page = open_page(made.write(tmp_path / "x.html"), "#origin")
    assert made.document.fingerprint in page.locator("#origin").inner_text()
    with page.expect_download() as kept:
        page.get_by_role("button", name="Keep the settings as a file").click()
    kept.value.save_as(tmp_path / "nachsicht.toml")
    again = nachsicht.profile(hostile_table(), settings=tmp_path / "nachsicht.toml")
    assert again.document.origin.settings == made.document.origin.settings != ""
    assert again.findings == made.findings


def test_names_values_and_labels_of_the_data_are_shown_as_text(open_page, tmp_path):
    labels = [HOSTILE, f"{HOSTILE} 2"]
    result = nachsicht.compare(hostile_table(), hostile_table("!"), labels=labels, title=HOSTILE)
    page = open_page(result.write(tmp_path / "x.html"))
    assert page.title() == HOSTILE
    assert page.locator("img").count() == 0
    assert page.locator("h1").inner_text() == HOSTILE
    names = page.locator(".column-name")
    assert names.all_inner_texts() == [HOSTILE, "{{ 7 * 7 }}", "constructor"]
    names.first.click()
    values = page.locator(".column-page .value").all_inner_texts()
    assert HOSTILE in values
    assert "=cmd()" in values


def test_no_value_can_end_the_script_element(page_data):
    text = nachsicht.profile(hostile_table(), label=HOSTILE).to_html()
    assert page_data(text)["versions"][0]["label"] == HOSTILE
    assert text.count("</script>") == 2


def test_the_policy_forbids_a_script_that_is_not_ours(browser, written, tmp_path):
    """The check can fail: the same page with a script put into it does not run it."""
    text = written["comparison"].read_text()
    (tmp_path / "x.html").write_text(text.replace("</body>", "<script>window.bad = 1</script>"))
    page = browser.new_page()
    said = []
    page.on("console", lambda message: said.append(message.text))
    page.goto((tmp_path / "x.html").as_uri())
    page.wait_for_selector(".ledger")
    assert page.evaluate("window.bad") is None
    assert any("Content Security Policy" in text for text in said)
    page.close()


def test_print_shows_every_figure_without_scrolling(open_page, written, demo_comparison, tmp_path):
    page = open_page(written["comparison"])
    figures = page.locator(".ledger .spread-small svg")
    drawn = sum(c.spread is not None for c in demo_comparison.document.columns)
    figures.first.wait_for()
    assert 0 < figures.count() < drawn
    page.pdf(path=tmp_path / "page.pdf")
    assert figures.count() == drawn
    assert (tmp_path / "page.pdf").stat().st_size > 50_000


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
    assert demo_comparison.document.verdict.lead in text
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
    ledger, main = page.locator("table.ledger"), page.locator("main")
    inside = main.bounding_box()["width"] + main.bounding_box()["x"]
    assert ledger.bounding_box()["width"] + ledger.bounding_box()["x"] <= inside
    wide = "document.documentElement.scrollWidth - document.documentElement.clientWidth"
    assert page.evaluate(wide) <= 0


def test_a_pair_is_picked_drawn_and_parted(open_page, demo_files, tmp_path):
    files = [demo_files[f"hive_checks_{year}.csv"] for year in (2024, 2025)]
    compared = nachsicht.compare(*files, outcome="overwintered")
    page = open_page(compared.write(tmp_path / "pairs.html"), "#relations")
    page.locator("#relations tr", has_text="hive_weight").filter(
        has=page.locator("a", has_text="brood_frames")
    ).get_by_role("button", name="draw").first.click()
    pair = page.locator(".pair")
    assert "#pair/brood_frames/hive_weight" in page.url
    assert [m.strip() for m in pair.locator(".figure-version").all_inner_texts()] == [
        "2024",
        "2025",
    ]
    (view,) = [p for p in compared.document.versions[1].pairs if p.other == "hive_weight"][:1]
    filled = sum(1 for count in view.view.counts if count)
    assert pair.locator(".pair-cell:not(.older-cell) rect").count() == filled
    assert pair.locator(".pair-line").count() == 2
    relation = next(
        r
        for r in compared.document.versions[1].relations.pairs
        if {r.one, r.other} == {"brood_frames", "hive_weight"}
    )
    facts = pair.locator("table").inner_text()
    assert f"{relation.kendall:.2g}" in facts
    assert "Pearson's correlation" in facts
    pair.get_by_role("button", name="no", exact=True).click()
    page.wait_for_function("document.querySelectorAll('.pair .figure-version').length === 1")
    page.wait_for_timeout(200)
    assert pair.locator(".figure-version").count() == 1
    part = {p.level: p.view for p in view.parts}["no"]
    cells = pair.locator(".pair-cell rect").count()
    assert cells == sum(1 for count in part.counts if count) < filled


def test_an_address_opens_a_pair_of_each_kind(open_page, demo_files, tmp_path):
    files = [demo_files[f"hive_checks_{year}.csv"] for year in (2024, 2025)]
    path = nachsicht.compare(*files, outcome="overwintered").write(tmp_path / "kinds.html")
    page = open_page(path, "#pair/overwintered/mite_count")
    boxes = page.locator(".pair")
    page.wait_for_selector(".pair-box rect")
    assert boxes.locator(".pair-box rect").count() == 2
    boxes.get_by_role("button", name="spreads").click()
    page.wait_for_selector(".pair .ink rect")
    assert boxes.locator(".ink rect").count() > 10
    boxes.get_by_role("button", name="against all rows").click()
    page.wait_for_selector(".pair-dot circle")
    assert boxes.locator(".pair-dot circle").count() == 2 * 19
    page = open_page(path, "#pair/hive_type/overwintered")
    page.wait_for_selector(".pair .pair-text text")
    assert page.locator(".pair .pair-text text").count() == 2 * 4 * 2
    page = open_page(path, "#pair/checked_on/honey_kg")
    page.wait_for_selector(".pair .time-jump line", state="attached")
    assert page.locator(".pair .time-jump line").count() == 4
    page.wait_for_selector("#components .pair-cell", state="attached")
    assert page.locator("#components .pair-cell").count() == 2


def test_time_repeats_and_the_rows_of_a_finding_are_shown(open_page, written):
    page = open_page(written["comparison"], "#time")
    time = page.locator("#time")
    assert "Jumps at 2024-06, 2024-09, 2025-06, 2025-09." in time.inner_text()
    time.locator("select").select_option("temper")
    assert time.locator(".time-line").count() >= 2
    assert "Jumps" not in time.inner_text()
    repeats = page.locator("#repeats")
    assert "+34" in repeats.locator("table").first.inner_text()
    assert "Rows 2,643 to 2,676 repeat rows from 2,609 on." in repeats.inner_text()
    assert "2,609, 2,643" in repeats.inner_text()
    assert repeats.locator(".strip-part").count() == 1
    finding = page.locator("#finding-0")
    finding.locator("summary").click()
    assert finding.locator(".shown table").count() == 2
    assert re.search(r"C24-\d{5}", finding.inner_text())


def test_the_rows_that_are_shown_can_be_narrowed(open_page, written):
    page = open_page(written["2025"], "#rows")
    rows = page.locator(".excerpt tbody tr")
    assert rows.count() == 20
    page.get_by_label("only rows with gaps").check()
    assert 0 < rows.count() < 20
    assert all("–" in text for text in rows.all_inner_texts())
    page.get_by_label("only rows with gaps").uncheck()
    page.get_by_label("only rows with outliers").check()
    assert 0 < rows.count() < 20
    page.get_by_label("only rows with outliers").uncheck()
    page.get_by_label("Find in these rows").fill("C25-00001")
    assert rows.count() == 1


def test_hostile_names_stay_text_in_pairs_time_repeats_and_rows(open_page, tmp_path):
    n = 300
    rng = np.random.default_rng(4)
    base = rng.normal(size=n)
    frame = pd.DataFrame(
        {
            HOSTILE: base,
            "b": base + rng.normal(size=n),
            "c": rng.normal(size=n),
            "level": rng.choice([HOSTILE, "calm"], n),
            "day": pd.Timestamp("2024-01-01") + pd.to_timedelta(rng.integers(0, 90, n), "D"),
        }
    )
    frame = pd.concat([frame, frame.iloc[100:120]])
    document = nachsicht.profile(frame)
    page = open_page(document.write(tmp_path / "hostile.html"), "#relations")
    options = page.locator("#relations select option").all_inner_texts()
    for i in range(len(options)):
        page.locator("#relations select").select_option(index=i)
    page.locator("#time select").select_option(index=0)
    assert HOSTILE in page.locator("#repeats").inner_text()
    assert any(HOSTILE in option for option in options)
    assert page.title() != "taken"
    assert page.locator("img").count() == 0


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


def test_the_numbers_of_a_pair_are_all_its_rows(open_page, demo_files, tmp_path):
    path = demo_files["hive_checks_2025.csv"]
    frame = pd.read_csv(path)
    page = open_page(
        nachsicht.profile(path).write(tmp_path / "x.html"), "#pair/brood_frames/hive_weight"
    )
    figure = page.locator(".pair figure").first
    with page.expect_download() as kept:
        figure.get_by_role("button", name="as CSV").click()
    cells = pd.read_csv(kept.value.path())
    beyond = re.search(r"([\d,]+) rows", figure.locator("figcaption").inner_text())
    left_out = int(beyond[1].replace(",", "")) if beyond else 0
    both = frame[["brood_frames", "hive_weight"]].dropna()
    assert cells["rows"].sum() + left_out == len(both)
    one = cells.loc[cells["rows"].idxmax()]
    inside = both["brood_frames"].between(one.iloc[1], one.iloc[2]) & both["hive_weight"].between(
        one.iloc[3], one.iloc[4], inclusive="left"
    )
    assert inside.sum() == one["rows"]
    figure.get_by_text("The figure's numbers").click()
    assert figure.locator(".behind tbody tr").count() == min(len(cells), 200)


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
    page.get_by_role("link", name="hive_weight", exact=True).last.focus()
    tab_to("BUTTON", "density")
    page.keyboard.press("Space")
    assert opened.locator(".spread-large .shape-area").count() == 1
    page.keyboard.press("/")
    page.keyboard.type("gap")
    assert page.locator(".finder li").count() > 0


def recipes_on(page):
    """The code of every recipe on the page, with all columns opened in all ways of drawing."""
    seen = set()
    read = "() => [...document.querySelectorAll('.recipe pre')].map((pre) => pre.textContent)"
    for name in page.locator(".ledger tbody").evaluate_all(
        "all => all.map((l) => l.dataset.column)"
    ):
        page.goto(page.url.split("#")[0] + f"#column/{name}")
        page.locator(f"tbody[data-column={name}] .column-page").wait_for()
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
            r"\.(spread|quantiles|to_frame|frequent)\(\)$|(histogram|quantile|agg|head)\(", code
        )
        if column and what:
            found.setdefault(column[1], {})[what[1] or what[2]] = names["numbers"]
    held = 0
    for own in found.values():
        if "histogram" in own:
            assert own["spread"]["rows 2025"].to_numpy().tolist() == own["histogram"].tolist()
            held += 1
        if "quantile" in own and "quantiles" in own:
            ours = own["quantiles"].query("version == '2025'")["value"].to_numpy()
            if len(ours) == len(own["quantile"]):
                assert own["quantile"].to_numpy() == pytest.approx(ours, rel=1e-12)
                held += 1
        if "agg" in own and "mean" in own["to_frame"]["statistic"].to_list():
            ours = own["to_frame"].set_index("statistic")["2025"]
            for theirs, name in (("mean", "mean"), ("std", "sd"), ("skew", "skewness")):
                assert own["agg"][theirs] == pytest.approx(ours[name], rel=1e-9)
            held += 1
    assert held > 8


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
