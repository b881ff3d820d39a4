"""The page of a history, as a person would use it."""

import re

import pandas as pd
import pytest
from tests.browser.test_untrusted import HOSTILE

import nachsicht

pytestmark = pytest.mark.browser


@pytest.fixture
def page(open_page, demo_history, tmp_path):
    return open_page(demo_history.courses(language=["en", "de"]).write(tmp_path / "history.html"))


def course(page, column):
    page.locator(f"tbody[data-column={column}] .column-name").click()
    return page.locator(f"tbody[data-column={column}] .course")


def test_the_verdict_the_strip_and_the_ledger_tell_the_history(page):
    assert "2025-W34 is like the versions before it." in page.locator(".lead").inner_text()
    findings = page.locator(".verdict .finding").all_inner_texts()
    assert len(findings) == 4
    assert any("2025-W27" in text and "bee_traffic" in text for text in findings)
    assert page.locator(".strip-mark.act").count() == 2
    assert page.locator(".strip-mark.check").count() == 1
    states = dict(
        zip(
            page.locator(".column-name").all_inner_texts(),
            page.locator(".history-lines .state").all_inner_texts(),
            strict=True,
        )
    )
    assert states["weight_kg"] == "steady"
    assert states["weather"] == "seasonal"
    assert states["bee_traffic"] == "changed with 2025-W27"
    page.locator(".columns input[type=checkbox]").check()
    assert page.locator(".column-name").all_inner_texts() == [
        "bee_traffic",
        "humidity",
        "battery_mv",
    ]


def test_a_version_that_is_pointed_at_is_named(page):
    cells = page.locator("tbody[data-column=humidity] .cells")
    box = cells.bounding_box()
    page.mouse.move(box["x"] + box["width"] * 41.5 / 60, box["y"] + 5)
    state = page.locator("tbody[data-column=humidity] .state").inner_text()
    assert re.fullmatch(r"2025-W16: Median 0\.\d+, Missing 1\d %", state, re.IGNORECASE)


def test_a_column_opens_into_its_course_and_any_two_versions(page, demo_history):
    opened = course(page, "bee_traffic")
    assert opened.locator(".course-line").count() >= 1
    assert opened.locator("text=2025-W27").count() >= 1
    opened.get_by_role("button", name="two versions").click()
    opened.get_by_label("older version").select_option(label="2024-W30")
    opened.get_by_label("newer version").select_option(label="2025-W30")
    frame = demo_history.to_frame().query("column == 'bee_traffic'").set_index("version")
    for row, label in zip(
        opened.locator(".course-numbers tbody tr").all(), ("2024-W30", "2025-W30"), strict=True
    ):
        cells = row.inner_text().split("\t")
        assert cells[0] == label
        assert float(cells[6]) == frame.loc[label, "median"]
    opened.get_by_role("button", name="before and since 2025-W27").click()
    chosen = opened.locator(".course-numbers tbody th").all_inner_texts()
    assert chosen == ["2025-W03 … 2025-W26", "2025-W27 … 2025-W34"]
    middles = [
        frame.loc[first:last, "median"].median()
        for first, last in (label.split(" … ") for label in chosen)
    ]
    shown = [
        row.inner_text().split("\t")[6] for row in opened.locator(".course-numbers tbody tr").all()
    ]
    assert [float(value) for value in shown] == pytest.approx(middles, rel=0.01)
    # What happened to missing values is shown by them.
    missing = course(page, "humidity")
    pressed = missing.locator("button[aria-pressed=true]").inner_text()
    assert pressed == "missing values"


def test_it_is_read_in_its_other_language(page):
    page.locator(".language select").select_option("de")
    assert "2025-W34 ist wie die Versionen davor." in page.locator(".lead").inner_text()
    assert "periodisch" in page.locator(".history-lines").inner_text()


def test_names_labels_and_levels_stay_text(open_page, tmp_path):
    history = nachsicht.History(tmp_path / "kept")
    for n in range(6):
        frame = pd.DataFrame({HOSTILE: [HOSTILE, "<b>"] * 20, "n": range(n, n + 40)})
        history.record(frame, label=f"{HOSTILE} {n}")
    made = history.courses(title=HOSTILE)
    page = open_page(made.write(tmp_path / "x.html"))
    page.locator(".column-name").first.click()
    assert page.title() == HOSTILE
    assert page.locator("img").count() == 0
    assert page.locator(".column-name").first.inner_text() == HOSTILE
    page.locator(".course summary").click()
    assert HOSTILE in page.locator(".course .course-numbers thead").inner_text()
    assert made.to_html().count("</script>") == 2
    assert "<img" not in made.to_markdown().replace("\\<", "")
