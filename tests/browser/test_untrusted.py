"""Names and values of the data stay text, whatever they hold."""

import json

import numpy as np
import pandas as pd
import pyarrow as pa
import pytest

import nachsicht

pytestmark = pytest.mark.browser


HOSTILE = "</script><script>document.title='taken'</script><img src=x onerror=alert(1)>"


def hostile_table(suffix: str = "") -> pa.Table:
    levels = [HOSTILE, HOSTILE + suffix, "=cmd()", "\u2028<!--"] * 30
    return pa.table({HOSTILE: levels, "{{ 7 * 7 }}": levels, "constructor": range(120)})


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
    page.locator(".column-page .tables").wait_for()
    values = page.locator(".column-page .value").all_inner_texts()
    assert HOSTILE in values
    assert "=cmd()" in values


def test_what_a_description_says_is_shown_as_text(open_page, tmp_path):
    field = {"name": "honey", "title": HOSTILE, "unit": HOSTILE, "description": HOSTILE}
    field["constraints"] = {"pattern": HOSTILE.replace("(", "[(]"), "enum": [HOSTILE]}
    schema = {"fields": [field, {"name": HOSTILE}], "title": HOSTILE}
    (tmp_path / "d.schema.json").write_text(json.dumps(schema))
    table = pa.table({"honey": ["a", "b"] * 20})
    reading = {"description": str(tmp_path / "d.schema.json")}
    result = nachsicht.profile(table, reading=reading)
    page = open_page(result.write(tmp_path / "x.html"))
    page.locator(".column-name").first.click()
    told = page.locator(".column-page > .why").all_inner_texts()
    assert f"{HOSTILE}: {HOSTILE}" in told
    assert f"in {HOSTILE}." in told[-1]
    assert page.locator("img").count() == 0
    assert page.title() != "taken"
    assert HOSTILE in page.locator("#origin").inner_text()


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
    assert HOSTILE in page.locator("#duplicates").inner_text()
    assert any(HOSTILE in option for option in options)
    assert page.title() != "taken"
    assert page.locator("img").count() == 0


def test_the_origin_keeps_the_settings_that_made_the_page(open_page, tmp_path):
    made = nachsicht.profile(
        hostile_table(), omit=["unused*"], findings={"constant": {"off": True}}
    )
    page = open_page(made.write(tmp_path / "x.html"), "#origin")
    assert made.document.fingerprint in page.locator("#origin").inner_text()
    with page.expect_download() as kept:
        page.get_by_role("button", name="Save the settings as a file").click()
    kept.value.save_as(tmp_path / "nachsicht.toml")
    again = nachsicht.profile(hostile_table(), settings=tmp_path / "nachsicht.toml")
    assert again.document.origin.settings == made.document.origin.settings != ""
    assert again.findings == made.findings


def test_notes_of_the_analyst_stand_where_they_belong_and_run_nothing(open_page, tmp_path):
    frame = pd.DataFrame({"mites": [1, 2, 3, None] * 40, "hive": ["log", "long"] * 80})
    hostile = "<img src=x onerror=alert(1)> [go](javascript:alert(1)) ![x](http://a.example/x.png)"
    notes = {
        "page": "Counted by **Mara**.",
        "missing": "- by hand\n- twice",
        "column/mites": hostile,
        "finding/missing_values/mites": "The sheets of *June* are lost.",
        "column/gone": "of a column that is not there",
    }
    made = nachsicht.profile(frame, notes=notes)
    kept = nachsicht.read(made.write(tmp_path / "notes.json"))
    page = open_page(kept.write(tmp_path / "notes.html"), "#column/mites")
    dialogs = []
    page.on("dialog", lambda dialog: dialogs.append(dialog.dismiss()))
    told = page.locator("main > .analyst-note")
    assert told.locator("strong").inner_text() == "Mara"
    assert "column/gone: of a column that is not there" in told.inner_text()
    assert page.locator("#missing .analyst-note li").count() == 2
    assert page.locator(".verdict .finding .analyst-note em").inner_text() == "June"
    column = page.locator(".column-page > .analyst-note")
    assert "<img src=x" in column.inner_text()
    assert column.locator("img").count() == 0
    assert [a.get_attribute("href") for a in column.locator("a").all()] == [
        "http://a.example/x.png"
    ]
    assert dialogs == []
