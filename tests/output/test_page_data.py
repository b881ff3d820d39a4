"""The page's data is what the page's types say, in one language and in several."""

import base64
import gzip
import json
import re
from pathlib import Path

import jsonschema
import pytest

import nachsicht
from nachsicht.output.html.page import difference, page_of

FOLDER = Path(nachsicht.__file__).parent / "output" / "html"
SCHEMA = json.loads((FOLDER / "page_data.schema.json").read_text())
OF_HISTORY = json.loads((FOLDER / "history_data.schema.json").read_text())


def data_of(html):
    packed = re.search(r'<script type="application/gzip"[^>]*>([^<]+)</script>', html)[1]
    return json.loads(gzip.decompress(base64.b64decode(packed)))


def pages(files):
    old, new = (files[f"hive_checks_{year}.csv"] for year in (2024, 2025))
    yield nachsicht.profile(new, outcome="overwintered", time_column="checked_on")
    yield nachsicht.profile(new, outcome="honey_kg", language=["de", "en"])
    yield nachsicht.compare(old, new, key="check_id", language="de")
    yield nachsicht.compare(old, new, key="check_id", outcome="overwintered", share=10)
    yield nachsicht.compare_groups(new, "hive_type", language=["en", "de"])


@pytest.mark.slow
def test_what_the_page_is_given_fits_its_types(demo_files):
    validator = jsonschema.Draft7Validator(SCHEMA)
    for made in pages(demo_files):
        data = data_of(made.to_html())
        errors = [
            f"{list(e.absolute_path)}: {e.message[:120]}" for e in validator.iter_errors(data)
        ]
        assert errors[:5] == []


@pytest.mark.slow
@pytest.mark.parametrize("versions", [1, 6, 30])
def test_what_the_page_of_a_history_is_given_fits_its_types(versions, demo_history):
    report = demo_history.courses(versions, language=["de", "en"])
    data = data_of(report.to_html())
    assert [*jsonschema.Draft7Validator(OF_HISTORY).iter_errors(data)] == []
    page = data["page"]
    assert page["judged"] is (versions >= 5)
    assert {len(column["unusual"]) for column in page["columns"]} == {versions}
    english = patched(page, data["others"]["en"]["page"])
    assert english["columns"] != page["columns"] or versions == 1


def test_versions_without_a_folder_are_a_history_as_well(demo_history):
    last = demo_history.profiles(6)
    columns = last[-1].document.columns
    made = nachsicht.compare(*last, labels=[profile.label for profile in last])
    data = data_of(made.to_html())
    assert [*jsonschema.Draft7Validator(OF_HISTORY).iter_errors(data)] == []
    versions = data["page"]["versions"]
    assert versions["labels"] == [profile.label for profile in last]
    assert versions["moments"] == [version.moment for version in demo_history.versions[-6:]]
    assert [column["name"] for column in data["page"]["columns"]] == [c.name for c in columns]
    of_newest = [f.title for f in made.findings if f.versions[-1:] == (last[-1].label,)]
    assert [finding["title"] for finding in data["page"]["step"]] == of_newest
    assert "matrix" in data_of(nachsicht.compare(*last[-2:]).to_html())["page"]


def patched(value, away):
    """As the page lays a language over another."""
    if away is None:
        return value
    if isinstance(away, list):
        return away[0]
    if isinstance(value, list):
        return [patched(one, away.get(str(i))) for i, one in enumerate(value)]
    return {name: patched(one, away.get(name)) for name, one in value.items()}


def test_a_page_of_two_languages_holds_what_each_of_its_own_would(demo_files):
    files = [demo_files[f"hive_checks_{year}.csv"] for year in (2024, 2025)]
    made = nachsicht.compare(*files)
    document = made.document
    both = data_of(page_of(document, ["de", "en"]))
    english = data_of(page_of(document, ["en"]))
    own = {part: both[part] for part in ("page", "words")}
    assert both["language"] == "de"
    assert patched(own, both["others"]["en"]) == {p: english[p] for p in ("page", "words")}
    assert english["others"] == {}
    size = len(page_of(document, ["de", "en"])) / len(page_of(document, ["de"]))
    assert size < 1.25  # words and sentences, and no numbers twice


@pytest.mark.parametrize(
    ("one", "two", "away"),
    [
        ({"a": 1}, {"a": 1}, None),
        ({"a": [1, {"b": "x"}]}, {"a": [1, {"b": "y"}]}, {"a": {"1": {"b": ["y"]}}}),
        ([1], [1, 2], [[1, 2]]),
        ({"a": None}, {"a": 0}, {"a": [0]}),
    ],
)
def test_differences_are_what_differs(one, two, away):
    assert difference(one, two) == away
    assert patched(one, away) == two
