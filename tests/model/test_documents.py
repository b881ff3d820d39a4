"""Documents: those of the former format are read, and hold the same figures as today's."""

import gzip
import json
import math
from pathlib import Path

import pyarrow as pa
import pytest

import nachsicht
from nachsicht.model.codec import FORMAT_VERSION, decode, encode

FORMER = Path(__file__).parent / "format_1"
#: What depends on the day and the machine, or was worded otherwise.
APART = {
    *("origin", "seconds", "created_at", "findings", "verdict", "title", "label", "labels"),
    *("versions_named", "format", "notes", "memory_bytes", "severity"),
    *(
        "adjusted",
        "leading_zeros",
        "key_hashes",
        "row_estimates",
    ),  # which former documents did not have
}
CALLS = {
    "profile": lambda files: nachsicht.profile(
        files["hive_checks_2025.csv"], outcome="overwintered", time_column="checked_on"
    ),
    "comparison": lambda files: nachsicht.compare(
        files["hive_checks_2024.csv"], files["hive_checks_2025.csv"], key="check_id"
    ),
    "groups": lambda files: nachsicht.compare_groups(files["hive_checks_2025.csv"], "hive_type"),
    "slices": lambda files: nachsicht.compare_groups(
        files["hive_checks_2025.csv"], "checked_on", split_at="2025-07-01"
    ),
}


def differing(one, two, path=""):
    """Places at which two trees of plain values differ."""
    if isinstance(one, dict) and isinstance(two, dict):
        for name in sorted({*one, *two} - APART):
            yield from differing(one.get(name), two.get(name), f"{path}.{name}")
    elif isinstance(one, list) and isinstance(two, list) and len(one) == len(two):
        for i, (a, b) in enumerate(zip(one, two, strict=True)):
            yield from differing(a, b, f"{path}[{i}]")
    elif isinstance(one, float) and isinstance(two, float | int):
        if not math.isclose(one, two, rel_tol=1e-9, abs_tol=1e-9):
            yield path, one, two
    elif one != two:
        yield path, one, two


def numbers_in(tree):
    """How many numbers a tree of plain values holds."""
    if isinstance(tree, dict | list):
        return sum(map(numbers_in, tree.values() if isinstance(tree, dict) else tree))
    return int(isinstance(tree, int | float) and not isinstance(tree, bool))


@pytest.mark.parametrize("name", CALLS)
def test_documents_of_the_former_format_hold_the_figures_that_are_computed_today(name, demo_files):
    former = nachsicht.read(FORMER / f"{name}.json.gz")
    today = json.loads(CALLS[name](demo_files).to_json())
    read = json.loads(former.to_json())
    assert read["format_version"] == FORMAT_VERSION
    for tree in (read, today):  # bins had their labels alone, and no rows were kept
        for version in tree.get("versions", [tree]):
            version["sampled_rows"] = version["missing_matrix"] = None
            version["missing_ranges"] = []
            version["excerpt"].pop("outlier_cells")
            version["outcome"] = version["outcome"] and [
                (view["column"], view["explained_share"], [b["value"] for b in view["bins"]])
                for view in version["outcome"]["views"]
            ]
    assert [*differing(read, today)] == []
    assert numbers_in(today) > 5_000


@pytest.mark.parametrize("name", CALLS)
def test_what_a_former_document_says_is_said_still(name, tmp_path):
    raw = json.loads(gzip.decompress((FORMER / f"{name}.json.gz").read_bytes()))
    read = nachsicht.read(FORMER / f"{name}.json.gz")
    assert [f.sentence for f in read.findings] == [f["sentence"] for f in raw["findings"]]
    assert len(read.to_html()) > 100_000
    assert read.to_markdown()
    assert decode(encode(read.document)) == read.document


def test_a_document_names_what_it_holds_and_says_nothing_in_any_language(demo_files):
    files = [demo_files[f"hive_checks_{year}.csv"] for year in (2024, 2025)]
    spoken = [nachsicht.compare(*files, language=language).to_json() for language in ("en", "de")]
    one, two = map(json.loads, spoken)
    assert [*differing(one, two)] == []
    for version in one["versions"]:
        for column in version["columns"]:
            assert all(isinstance(level, dict) for level in column["top_values"])
    findings = [{**finding, "versions": None} for finding in one["findings"]]
    assert findings == [{**finding, "versions": None} for finding in two["findings"]]
    assert not {"title", "sentence", "next_step"} & {*findings[0]}


def test_what_is_missing_and_an_empty_text_are_two_levels():
    by = ["", None, "oak", "fir"] * 50
    frame = {"by": by, "w": [None if one is None else 1.0 for one in by]}
    document = nachsicht.profile(pa.table(frame), kinds={"by": "category"}).document
    (table,) = [one for one in document.missing_by_level if one.column == "w"]
    assert table.levels == (None, "", "fir", "oak")
    assert table.missing == (50, 0, 0, 0)


def test_a_stored_profile_keeps_the_settings_that_it_was_made_with(tmp_path):
    ages = {"age": [i % 12 for i in range(600)]}
    made = nachsicht.profile(pa.table(ages), max_discrete_values=6)
    read = nachsicht.read(made.write(tmp_path / "x.json"))
    assert made.column("age").distribution().equals(read.column("age").distribution())
    alone = nachsicht.compare(pa.table(ages), pa.table(ages), max_discrete_values=6)
    whole = nachsicht.read(alone.write(tmp_path / "c.json"))
    for one, two in zip(alone.versions, whole.versions, strict=True):
        assert one.column("age").distribution().equals(two.column("age").distribution())
    assert "start" in read.column("age").distribution()  # not one bar a value
    document = (tmp_path / "x.json").read_text().replace("max_discrete_values", "max_discrete")
    (tmp_path / "y.json").write_text(document)
    with pytest.raises(nachsicht.DocumentError, match="damaged"):
        nachsicht.read(tmp_path / "y.json")
