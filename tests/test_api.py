"""The public face: what is exported, documents, settings, and what a result shows."""

import json
import pickle
import re
from pathlib import Path

import msgspec
import numpy as np
import pandas as pd
import pyarrow as pa
import pytest

import nachsicht
from nachsicht.model.codec import schema
from nachsicht.model.profile import ProfileDocument


def test_every_listed_name_is_there_and_documented():
    for name in nachsicht.__all__:
        thing = getattr(nachsicht, name)
        assert name == "__version__" or thing.__doc__, name
    assert set(nachsicht.__all__) <= set(dir(nachsicht))
    with pytest.raises(AttributeError, match="nothing_here"):
        _ = nachsicht.nothing_here


def test_a_document_reads_back_equal(demo_comparison, tmp_path):
    path = demo_comparison.write(tmp_path / "comparison.json")
    assert nachsicht.read(path) == demo_comparison
    profile = demo_comparison.versions[0]
    for name in ("2024.json", "2024.json.gz"):
        read = nachsicht.read(profile.write(tmp_path / name))
        assert isinstance(read, nachsicht.Profile)
        assert read == profile
    assert (tmp_path / "2024.json.gz").stat().st_size < (tmp_path / "2024.json").stat().st_size / 3
    assert read != demo_comparison.versions[1]


def test_a_profile_document_takes_the_place_of_its_data(demo_comparison, demo_files, tmp_path):
    path = demo_comparison.versions[0].write(tmp_path / "2024.json")
    mixed = nachsicht.compare(path, demo_files["hive_checks_2025.csv"], labels=["2024", "2025"])
    # Places are scanned for where both versions are there as data; the level is told by either.
    read = [
        [(f.code, f.severity, f.columns, f.title) for f in side.findings]
        for side in (mixed, demo_comparison)
    ]
    assert read[0] == read[1]
    placed = next(f for f in mixed.findings if f.code == "missing_increased").evidence
    assert (placed["by"], placed["level"]) == ("hive_type", "log")
    # Rows are shown of the versions whose data is there.
    shown = [rows.version for finding in mixed.findings for rows in finding.example_rows]
    assert set(shown) == {"2025"}


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("no json", "not a profile"),
        ('{"what": "profile", "format_version": 99}', "newer"),
        ('{"what": "profile", "format_version": 1}', "damaged"),
    ],
)
def test_what_is_no_document_is_refused(text, words, tmp_path):
    (tmp_path / "x.json").write_text(text)
    with pytest.raises(nachsicht.DocumentError, match=words):
        nachsicht.read(tmp_path / "x.json")


def test_the_document_is_plain_json(demo_comparison):
    document = json.loads(demo_comparison.to_json())
    column = next(c for c in document["versions"][1]["columns"] if c["name"] == "mite_count")
    assert column["kind"] == "quantity"
    assert column["stats"]["median"] == 3


def test_unknown_settings_name_the_nearest_right_word():
    table = pa.table({"a": [1]})
    with pytest.raises(nachsicht.SettingsError, match="Did you mean top_values"):
        nachsicht.profile(table, top_value=3)
    with pytest.raises(nachsicht.SettingsError, match="max_levels"):
        nachsicht.profile(table, max_levels="many")
    kept = nachsicht.profile(pa.table({"a": list("aabbcd")}), top_values=2)
    assert [level.value for level in kept.document.columns[0].top_values] == ["a", "b"]


@pytest.mark.parametrize("labels", [["a"], ["a", "a"], ["a", " "]])
def test_labels_that_repeat_or_lack_are_refused(labels):
    table = pa.table({"a": [1]})
    with pytest.raises(nachsicht.SettingsError):
        nachsicht.compare(table, table, labels=labels)


def test_labels_are_what_tells_files_apart(demo_comparison):
    assert [profile.label for profile in demo_comparison.versions] == ["2024", "2025"]
    assert demo_comparison.title == "Hive checks, 2024 → 2025"


def test_errors_keep_their_facts_through_a_pickle():
    error = nachsicht.SourceNotFoundError("there is no such file", where="x.csv", todo="Look.")
    again = pickle.loads(pickle.dumps(error))  # noqa: S301
    assert (type(again), again.where, str(again)) == (type(error), "x.csv", str(error))


def test_a_prompt_shows_the_summary_in_eighty_columns(demo_comparison):
    text = str(demo_comparison)
    assert demo_comparison.verdict.split(".")[0] in text
    for finding in demo_comparison.findings:
        assert finding.title in text
    assert max(map(len, text.splitlines())) <= 80


def test_control_signs_from_the_data_never_reach_a_terminal():
    table = pa.table({"a\x1b[31m": ["x\x1b]0;title\x07", "x\x1b]0;title\x07"]})
    text = str(nachsicht.profile(table, label="l\x1b[2J"))
    assert not re.search(r"[\x00-\x09\x0b-\x1f\x7f]", text)


def test_a_file_that_cannot_be_written_leaves_nothing(demo_comparison, tmp_path):
    for bad, words in (
        (tmp_path / "no" / "x.html", "does not exist"),
        (tmp_path / "x.txt", ".txt"),
    ):
        with pytest.raises(nachsicht.OutputError, match=words):
            demo_comparison.write(bad)
    assert list(tmp_path.iterdir()) == []


def test_the_inputs_are_left_as_they_were():
    frame = pd.DataFrame({"a": [3.0, 1.0, 2.0]})
    before = frame.copy()
    nachsicht.profile(frame)
    pd.testing.assert_frame_equal(frame, before)
    table = pa.table({"a": [3.0, 1.0, 2.0]})
    nachsicht.profile(table)
    assert table.column("a").to_pylist() == [3.0, 1.0, 2.0]


def test_a_listener_hears_how_far_the_work_is(demo_files):
    heard = []
    made = nachsicht.profile(demo_files["hive_checks_2024.csv"], progress=heard.append)
    assert heard == []  # nothing was asked for
    assert len(made.document.columns) == heard[-1].total
    assert [p.done for p in heard] == list(range(1, heard[-1].total + 1))


def profile_of(files):
    return nachsicht.profile(files["hive_checks_2025.csv"], outcome="overwintered")


def comparison_of(files):
    versions = [files[f"hive_checks_{year}.csv"] for year in (2024, 2025)]
    return nachsicht.compare(*versions, outcome="overwintered")


@pytest.mark.parametrize("make", [profile_of, comparison_of])
def test_parts_cost_no_more_than_themselves_and_are_those_of_the_whole(
    make, demo_files, monkeypatch
):
    """What was not asked for is not computed; what was is as in the whole document."""
    from nachsicht.engines import in_memory

    whole, made = make(demo_files), make(demo_files)
    assert whole.document
    with monkeypatch.context() as patch:
        patch.setattr(in_memory, "read_column", None)  # no column can be read
        patch.setattr(in_memory, "relations_of", None)
        assert made.missing.to_frame().equals(whole.missing.to_frame())
        assert made.missing.patterns("arrow") == whole.missing.patterns("arrow")
        patch.undo()
        patch.setattr(in_memory, "relations_of", None)
        reads = []
        read = in_memory.read_column
        patch.setattr(in_memory, "read_column", lambda *a: reads.append(a[1]) or read(*a))
        assert made.column("mite_count").to_frame().equals(whole.column("mite_count").to_frame())
        assert (
            made.column("mite_count")
            .distribution()
            .equals(whole.column("mite_count").distribution())
        )
        assert set(reads) == {"mite_count"}
        assert made.summary.to_frame().equals(whole.summary.to_frame())
        assert made.title == whole.title
    for part in ("relations", "duplicates", "outcome", "components", "time"):
        assert getattr(made, part).to_frame().equals(getattr(whole, part).to_frame()), part
    assert without_origins(made.document) == without_origins(whole.document)
    assert pickle.loads(pickle.dumps(make(demo_files))).findings  # noqa: S301


def without_origins(document):
    """A document without the seconds that it took."""
    if isinstance(document, ProfileDocument):
        return msgspec.structs.replace(document, origin=None)
    return msgspec.structs.replace(document, versions=[*map(without_origins, document.versions)])


def test_a_column_of_a_comparison_that_has_another_name_before_is_found(demo_files):
    made = comparison_of(demo_files)
    assert [s.name for s in made.column("inspector_code").summaries] == [
        "inspector",
        "inspector_code",
    ]


def test_what_is_computed_later_does_not_see_later_changes():
    values = np.array([1.0, 2.0, 3.0] * 20)
    frame = pd.DataFrame({"n": values}, copy=False)
    made = nachsicht.profile(frame)
    values[:] = 99
    assert frame["n"].max() == 99
    assert made.column("n").to_frame().set_index("statistic").loc["maximum"].item() == 3


def in_any_order(schema):
    """A schema whose alternatives are sorted: msgspec's order of them differs by version."""
    if isinstance(schema, list):
        return [in_any_order(part) for part in schema]
    if not isinstance(schema, dict):
        return schema
    found = {key: in_any_order(part) for key, part in schema.items()}
    if "anyOf" in found:
        found["anyOf"] = sorted(found["anyOf"], key=json.dumps)
    return found


def test_documents_keep_to_the_published_schema(demo_comparison):
    import jsonschema

    home = Path(nachsicht.__file__).parent / "model" / "document.schema.json"
    published = json.loads(home.read_text())
    assert in_any_order(published) == in_any_order(json.loads(json.dumps(schema()))), "make schema"
    for document in (demo_comparison, demo_comparison.versions[0]):
        jsonschema.validate(json.loads(document.to_json()), published)
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate({"what": "profile", "format_version": 1}, published)


def test_a_fixed_time_gives_the_same_bytes_whatever_the_threads(demo_files, monkeypatch):
    monkeypatch.setenv("SOURCE_DATE_EPOCH", "1763800000")
    files = demo_files["hive_checks_2024.csv"], demo_files["hive_checks_2025.csv"]
    one, many = (nachsicht.compare(*files, threads=n) for n in (1, 4))
    assert one.to_json() == many.to_json()
    assert one.to_html() == many.to_html()


def test_a_test_of_data_fails_with_the_findings(demo_files, tmp_path):
    old, new = (demo_files[f"hive_checks_{year}.csv"] for year in (2024, 2025))
    with pytest.raises(AssertionError, match="Four things need action") as failed:
        nachsicht.assert_steady(old, new)
    assert "act: Looks rescaled ×2.2046 hive_weight" in str(failed.value)
    assert "check: Typical value rose" in str(failed.value)
    assert "note:" not in str(failed.value)
    with pytest.raises(AssertionError) as graver:
        nachsicht.assert_steady(old, new, stop_on="act")
    assert "check:" not in str(graver.value)
    assert nachsicht.assert_steady(old, old).findings == ()
    with pytest.raises(nachsicht.SettingsError, match="Use check or act"):
        nachsicht.assert_steady(old, old, stop_on="note")


def test_every_public_name_is_told():
    """Functions, results, parts and what they can do: each has a docstring."""
    import inspect

    from nachsicht.tables import columns, whole_table

    told = [getattr(nachsicht, name) for name in nachsicht.__all__ if name != "__version__"]
    for module in (columns, whole_table):
        told += [
            c
            for _, c in inspect.getmembers(module, inspect.isclass)
            if c.__module__ == module.__name__
        ]
    seen = 0
    for thing in told:
        assert inspect.getdoc(thing), thing
        for name, member in inspect.getmembers(thing) if inspect.isclass(thing) else ():
            if not name.startswith("_") and (callable(member) or isinstance(member, property)):
                assert inspect.getdoc(member), f"{thing.__name__}.{name}"
                seen += 1
    assert seen > 60
