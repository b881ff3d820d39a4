"""Relations, gaps, repeats, rows, time, outcome and groups, as a person would use them."""

import re

import numpy as np
import pandas as pd
import pytest
from statsmodels.datasets import macrodata

import nachsicht

pytestmark = pytest.mark.browser


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
        '[[accepted]]\ncode = "values_changed"\ncolumn = "honey"\nreason = "<b>late</b> jars"\n'
    )
    compared = nachsicht.compare(frame, later, labels=["may", "june"], accepted=str(known))
    page = open_page(compared.write(tmp_path / "rows.html"), "#rows")
    told = page.locator("#rows").inner_text()
    assert "Rows by tag:" in told
    assert "0 added, 2 removed" in told
    assert "H0000 · H0001" in told
    cells = page.locator("#rows table").first.locator("tbody tr")
    assert cells.nth(1).inner_text().split() == ["honey", "26", "2.9", "%", "0.1", "higher"]
    changed = page.locator("#relations .wide tbody tr").first.inner_text()
    assert "frames × weight" in changed.replace("\n", " ")
    assert page.locator(".accepted .finding").count() == 1
    page.locator(".accepted summary").first.click()
    assert "Accepted: <b>late</b> jars" in page.locator(".accepted").inner_text()
    page.locator("#rows a.name").first.click()
    assert page.locator("tbody[data-column=weight] .column-page").is_visible()


@pytest.mark.parametrize("ordered", [True, False])
def test_neighbours_that_are_alike_are_told_where_rows_are_in_order_of_time(
    ordered, open_page, tmp_path
):
    table = macrodata.load_pandas().data
    months = {"year": table["year"], "month": table["quarter"] * 3, "day": 1}
    table["quarter"] = pd.to_datetime(months)
    table = table if ordered else table.sample(frac=1, random_state=1)
    made = nachsicht.profile(table, outcome="realgdp")
    page = open_page(made.write(tmp_path / "series.html"), "#outcome")
    told = [page.locator(part).inner_text() for part in ("#outcome", "#relations")]
    assert ("rows are alike (autocorrelation 0.99)" in told[0]) is ordered
    assert ("rows are alike in year, realgdp, realcons" in told[1]) is ordered


def test_gaps_rows_and_the_outcome_are_shown(open_page, demo_files, tmp_path):
    files = [demo_files[f"hive_checks_{year}.csv"] for year in (2024, 2025)]
    compared = nachsicht.compare(*files, outcome="overwintered")
    page = open_page(compared.write(tmp_path / "outcome.html"), "#outcome")
    first = page.locator("#outcome tbody tr").first
    assert "mite_count" in first.inner_text()
    bars = first.locator("svg.outcome-bars")
    assert bars.locator("rect.bar").count() > 5
    assert re.search(r"missing: \d", bars.get_attribute("aria-label"))
    second = page.locator("#outcome tbody tr").nth(1)
    second.locator("button.picture").click()
    large = page.locator(".outcome-large")
    assert large.locator("h3").inner_text() == second.locator("th").inner_text()
    view = compared.document.versions[-1].outcome.views[1]
    assert large.locator(".outcome-newer title").count() == len(view.bins)
    assert f"{view.bins[0].value:.0%}".replace("%", " %") in large.locator("svg").text_content()
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
    strongest = max(relations.pairs, key=lambda pair: abs(pair.value))
    first = page.locator("#relations .side-by-side table tbody tr").first.inner_text()
    assert strongest.x in first
    page.locator("nav a", has_text="Missing values").click()
    facts = page.locator("#missing table").first.inner_text()
    complete = [version.missing_patterns.complete_rows for version in compared.document.versions]
    assert all(f"{rows:,}" in facts for rows in complete)
    line = page.locator(".gap-columns tbody tr", has_text="overwintered")
    assert "0.4 % → 9.1 %" in line.inner_text()
    newest = compared.document.versions[1].missing_matrix
    cells = np.unpackbits(np.frombuffer(newest.cells, np.uint8).reshape(9, -1), axis=1)
    runs = np.diff(cells[newest.columns.index("overwintered")].astype(int), prepend=0) == 1
    lane = page.locator(".lane[aria-label^=overwintered] path").get_attribute("d")
    assert lane.count("M") == runs.sum() > 20
    overwintered = [v.column("overwintered") for v in compared.document.versions]
    switch = page.locator("#missing .choice button")
    switch.first.click()
    assert f"{overwintered[0].missing:,}" in line.inner_text()
    assert "→" not in line.inner_text()
    switch.last.click()
    points = 100 * (overwintered[1].missing_share - overwintered[0].missing_share)
    largest = page.locator(".gap-columns tbody tr").first
    assert f"+{points:.2f}" in largest.inner_text()
    assert "overwintered" in largest.inner_text()
    assert largest.locator("svg.strip").count() == 2
    assert f"{points:.2f} percentage points" in largest.locator(".change-bar").get_attribute(
        "aria-label"
    )
    shown = page.locator(".excerpt").nth(1)
    shown.locator("summary").click()
    assert shown.locator("tbody th").all_inner_texts() == ["first", "evenly sampled", "last"]
    assert shown.locator("tbody tr").first.locator("td").first.inner_text() == "C25-00001"
    page.locator(".gap-columns a.name", has_text="overwintered").click()
    opened = page.locator("tbody[data-column=overwintered] .column-page")
    assert opened.is_visible()


def test_groups_are_named_and_have_no_order(open_page, demo_files, tmp_path):
    groups = nachsicht.compare_groups(demo_files["hive_checks_2024.csv"], by="hive_type")
    page = open_page(groups.write(tmp_path / "groups.html"))
    assert page.locator(".versions .version strong").all_inner_texts() == [
        *("log", "long", "stacked", "top-bar")
    ]
    assert "→" not in page.locator(".versions").inner_text()
    assert "apart from the rest" in page.locator(".lead").inner_text()


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
    (view,) = [p for p in compared.document.versions[1].pairs if p.y == "hive_weight"][:1]
    filled = sum(1 for count in view.view.counts if count)
    assert pair.locator(".pair-cell:not(.older-cell) rect").count() == filled
    assert pair.locator(".pair-line").count() == 2
    relation = next(
        r
        for r in compared.document.versions[1].relations.pairs
        if {r.x, r.y} == {"brood_frames", "hive_weight"}
    )
    facts = pair.locator("table").inner_text()
    assert f"{relation.kendall:.2g}" in facts
    assert "Pearson's correlation" in facts
    pair.get_by_role("button", name="no", exact=True).click()
    page.wait_for_function("document.querySelectorAll('.pair .figure-version').length === 1")
    page.wait_for_timeout(200)
    assert pair.locator(".figure-version").count() == 1
    part = {p.level: p.view for p in view.facets}["no"]
    cells = pair.locator(".pair-cell rect").count()
    assert cells == sum(1 for count in part.counts if count) < filled


def test_an_address_opens_a_pair_of_each_kind(open_page, demo_files, tmp_path):
    files = [demo_files[f"hive_checks_{year}.csv"] for year in (2024, 2025)]
    path = nachsicht.compare(*files, outcome="overwintered").write(tmp_path / "kinds.html")
    page = open_page(path, "#pair/overwintered/mite_count")
    boxes = page.locator(".pair")
    page.wait_for_selector(".pair-box rect")
    assert boxes.locator(".pair-box rect").count() == 2
    boxes.get_by_role("button", name="distributions").click()
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
    repeats = page.locator("#duplicates")
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
    page.get_by_label("only rows with missing values").check()
    assert 0 < rows.count() < 20
    assert all("–" in text for text in rows.all_inner_texts())
    page.get_by_label("only rows with missing values").uncheck()
    page.get_by_label("only rows with outliers").check()
    assert 0 < rows.count() < 20
    page.get_by_label("only rows with outliers").uncheck()
    page.get_by_label("Find in these rows").fill("C25-00001")
    assert rows.count() == 1


def test_the_rows_that_are_shown_are_sorted_by_a_click_and_outlying_cells_marked(
    open_page, written, demo_files
):
    page = open_page(written["2025"], "#rows")
    head = page.locator(".excerpt th", has_text="mite_count")
    place = head.evaluate("cell => cell.cellIndex")
    cells = page.locator(f".excerpt tbody tr > :nth-child({place + 1})")
    in_order = cells.all_inner_texts()
    known = sorted((text for text in in_order if text != "–"), key=int)
    gaps = ["–"] * (len(in_order) - len(known))
    head.locator("button").press("Enter")
    assert cells.all_inner_texts() == known + gaps
    head.locator("button").click()
    assert head.get_attribute("aria-sort") == "descending"
    assert cells.all_inner_texts() == known[::-1] + gaps
    low, high = pd.read_csv(demo_files["hive_checks_2025.csv"])["mite_count"].quantile([0.25, 0.75])
    marked = page.locator(f".excerpt tbody tr > .outlying:nth-child({place + 1})")
    beyond = [text for text in known[::-1] if int(text) > high + 1.5 * (high - low)]
    assert marked.all_inner_texts() == beyond != []
    head.locator("button").click()
    assert cells.all_inner_texts() == in_order


def test_a_page_that_is_safe_to_share_says_so_and_has_no_rows(open_page, demo_files, tmp_path):
    files = [demo_files[f"hive_checks_{year}.csv"] for year in (2024, 2025)]
    made = nachsicht.compare(*files, outcome="overwintered", share=10)
    page = open_page(made.write(tmp_path / "shared.html"))
    assert "fewer than 10 rows" in page.locator(".sharing").inner_text()
    leads = page.locator("nav a").all_inner_texts()
    assert {"Explore", "Rows", "Time"}.isdisjoint(leads)
    assert {"Outcome", "Relations", "Missing values"} <= {*leads}
    for column in made.document.columns:  # whatever its kind, it opens
        page.evaluate("name => (location.hash = `column/${encodeURIComponent(name)}`)", column.name)
        opened = page.locator(f"tbody[data-column={column.name}] .column-page")
        opened.locator("text=Statistics").first.wait_for()


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
    figure.locator(".behind tbody tr").first.wait_for()
    assert figure.locator(".behind tbody tr").count() == min(len(cells), 200)


def test_few_rows_say_why_no_relation_is_told(open_page, tmp_path):
    table = {"kg": list(range(15)), "temper": ["calm", "lively", "wild"] * 5}
    page = open_page(nachsicht.profile(pd.DataFrame(table)).write(tmp_path / "few.html"))
    assert "20 rows in which both have a value" in page.locator("#relations").inner_text()


def test_a_single_column_with_gaps_has_its_lane_beside_its_name(open_page, tmp_path):
    frame = pd.DataFrame({"hive": range(600), "honey": [None, 1.5, 2.5] * 200})
    page = open_page(nachsicht.profile(frame).write(tmp_path / "one.html"), "#missing")
    name, lane = page.locator(".lane-name").bounding_box(), page.locator(".lane").bounding_box()
    assert page.locator(".lane-name").inner_text() == "honey"
    assert name["x"] + name["width"] < lane["x"]
    assert abs(name["y"] - lane["y"]) < 3
    assert lane["x"] + lane["width"] <= page.viewport_size["width"]
