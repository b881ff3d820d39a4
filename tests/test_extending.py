"""What docs/extending.md promises: each addition is one registration and what it registers."""

import importlib.resources
import shutil
from pathlib import Path

import msgspec
import pyarrow as pa
import pytest

import nachsicht
from nachsicht.config.settings import Settings
from nachsicht.engines import dispatch
from nachsicht.engines.plan import plan_of
from nachsicht.findings import registry
from nachsicht.findings.rules import column as rules
from nachsicht.i18n import languages, phrase
from nachsicht.i18n.catalogue import _read
from nachsicht.model.kinds import Kind
from nachsicht.sources import formats
from nachsicht.sources.dataframes import FrameSource
from nachsicht.sources.protocol import Opened
from nachsicht.table.accumulate import finish_table, merged_in_order, observe_table, plan_table
from nachsicht.testing import assert_conforms, sample_table


@pytest.fixture
def locales(tmp_path, monkeypatch):
    """A folder of catalogues to add to."""
    files = importlib.resources.files
    original = files("nachsicht.i18n")
    own = shutil.copytree(Path(str(original / "locales")), tmp_path / "locales")
    monkeypatch.setattr(
        importlib.resources, "files", lambda of: tmp_path if of == "nachsicht.i18n" else files(of)
    )
    for cached in (languages, _read):
        cached.cache_clear()
    yield own
    monkeypatch.undo()
    for cached in (languages, _read):
        cached.cache_clear()


def test_a_language_is_one_file(locales, demo_files):
    text = (locales / "en.toml").read_text(encoding="utf-8")
    (locales / "cy.toml").write_text(
        text.replace('verdict = "Verdict"', 'verdict = "Dyfarniad"'), encoding="utf-8"
    )
    assert "cy" in languages()
    page = nachsicht.profile(demo_files["hive_checks_2024.csv"], language="cy").to_html()
    assert 'lang="cy"' in page
    with nachsicht.use_language("cy"):
        assert phrase("page.verdict") == "Dyfarniad"


def test_a_finding_is_a_rule_an_entry_and_words(locales, monkeypatch):
    def odd_count(view, column):
        if column.rows % 2:
            yield view.finding("odd_row_count", (column.name,), 1.0, {"rows": column.rows})

    entry = registry.FindingType("odd_row_count", False, (Kind.QUANTITY,), "rows", check=0.5)
    monkeypatch.setitem(registry.FINDINGS, "odd_row_count", entry)
    monkeypatch.setattr(rules, "RULES", (*rules.RULES, odd_count))
    monkeypatch.setattr("nachsicht.findings.rules.table.RULES", rules.RULES)
    with (locales / "en.toml").open("a", encoding="utf-8") as words:
        words.write(
            "\n[findings.odd_row_count]\n"
            'title = "{rows} rows"\nsentence = "That is odd."\nnext_step = "Add one."\n'
        )
    found = nachsicht.profile(pa.table({"frames": [3.5, 4.25, 8.0]})).findings
    (finding,) = [f for f in found if f.code == "odd_row_count"]
    assert (finding.title, finding.severity) == ("3 rows", "check")


def test_a_source_format_is_a_reader_and_its_registration(tmp_path, monkeypatch):
    def opened(path, compression, options, facts):
        table = pa.ipc.open_stream(path.read_bytes()[4:]).read_all()
        return FrameSource(table).open()

    def kept(table):
        sink = pa.BufferOutputStream()
        with pa.ipc.new_stream(sink, table.schema) as writer:
            writer.write_table(table)
        target = tmp_path / "checks.hive"
        target.write_bytes(b"HIVE" + sink.getvalue().to_pybytes())
        return target

    own = formats.FileFormat(opened, (".hive",), magic=b"HIVE")
    monkeypatch.setattr(formats, "FORMATS", (own, *formats.FORMATS))
    assert_conforms(kept)


def test_an_engine_is_a_function_and_its_registration(monkeypatch):
    def in_thirds(opened, settings, listener, now):
        table = opened.table()
        plan = plan_table(table, settings, 1 << 30, opened.description, table.num_rows)
        step = -(-table.num_rows // 3)
        starts = range(0, table.num_rows, step)
        parts = [observe_table(table.slice(start, step), plan, start) for start in starts]
        return finish_table(merged_in_order(parts, plan), plan, now), None

    monkeypatch.setitem(dispatch.ENGINES, "thirds", dispatch.Engine(in_thirds))
    opened: Opened = FrameSource(sample_table()).open()
    settings = Settings()
    local, _ = dispatch.run_engine(opened, settings, lambda _: None)
    own, _ = dispatch.run_engine(
        opened, msgspec.structs.replace(settings, engine="thirds"), lambda _: None
    )
    assert [c.missing for c in own.columns] == [c.missing for c in local.columns]
    for mine, theirs in zip(own.columns, local.columns, strict=True):
        assert mine.top_values == theirs.top_values, mine.name
    with nachsicht.use_language("en"):
        plan = plan_of(opened, msgspec.structs.replace(settings, engine="thirds"))
    assert "computes with thirds" in str(plan)
