"""What docs/extending.md promises: each addition is one registration and what it registers."""

import importlib.resources
import json
import os
import shutil
import subprocess
import sys
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


INTERVAL = """
from typing import Any

import msgspec
import pyarrow as pa

from nachsicht.columns.kinds.protocol import ColumnFacts, Counts, StoredType, TypedColumn
from nachsicht.config.settings import Settings
from nachsicht.model.column import IntervalSummary
from nachsicht.model.kinds import Kind, KindReason


class IntervalPart(msgspec.Struct, frozen=True):
    months: int
    missing: int

    def merge(self, other: "IntervalPart") -> "IntervalPart":
        return IntervalPart(self.months + other.months, self.missing + other.missing)


class IntervalColumn(TypedColumn, frozen=True, kw_only=True, dict=True):
    part: IntervalPart
    rows: int

    @property
    def counts(self) -> Counts:
        return Counts(self.rows - self.part.missing, 0, 0, 0.0)

    def summarise(self, settings: Settings) -> IntervalSummary:
        return IntervalSummary(self.part.months)


def observe(array: Any) -> IntervalPart:
    months = sum(value.months for value in array.to_pylist() if value is not None)
    return IntervalPart(months, array.null_count)


def infer(body: IntervalPart, facts: ColumnFacts) -> IntervalColumn:
    judgement = (Kind.INTERVAL, KindReason.STORED_INTERVALS)
    return IntervalColumn(judgement=judgement, part=body, rows=facts.rows)


INTERVALS = StoredType("intervals", pa.types.is_interval, observe, infer)
"""

#: The files that a kind touches, each with what is found there and what takes its place.
KIND = {
    "model/kinds.py": [
        ('EMPTY = "empty"', 'EMPTY = "empty"\n    INTERVAL = "interval"'),
        ("    CHOSEN =", '    STORED_INTERVALS = "stored_intervals"\n    CHOSEN ='),
        ("|empty|", "|empty|interval|"),
    ],
    "model/column.py": [
        (
            "Detail = (",
            'class IntervalSummary(msgspec.Struct, frozen=True, tag="interval"):\n'
            "    months: int\n\n\nDetail = (\n    IntervalSummary |",
        )
    ],
    "columns/kinds/registry.py": [
        ("from nachsicht.columns.kinds.nested", "from nachsicht.columns.kinds.interval import "
         "INTERVALS\nfrom nachsicht.columns.kinds.nested"),
        ("= (TEXTS,", "= (INTERVALS, TEXTS,"),
    ],
    "i18n/locales/en.toml": [
        ("[kind_reasons]\n", '[kind_reasons]\nstored_intervals = "the values are intervals"\n'),
        ("[kinds]\n", '[kinds]\ninterval = "interval"\n'),
        ("[excluded]\n", '[excluded]\ninterval = "interval"\n'),
    ],
}  # fmt: skip
#: What a kind that is added can then do, in a process of its own.
USE = """
import json, sys
import pyarrow as pa
import nachsicht
from nachsicht.model.codec import decode

def table(months):
    values = pa.array([(m, 0, 0) if m else None for m in months], pa.month_day_nano_interval())
    return pa.table({"until_visit": values, "frames": list(range(len(months)))})

one, two = table([1, 2, None, 4]), table([3, 3, 3, None])
profile, change = nachsicht.profile(one), nachsicht.compare(one, two)
column = profile.column("until_visit").summaries[-1]
again = decode(profile.to_json()).columns[0]
print(json.dumps({
    "where": nachsicht.__file__, "kind": column.kind, "missing": column.missing,
    "months": column.stats.months, "kept": again == column,
    "page": "until_visit" in change.to_html(),
    "text": "until_visit" in str(change),
}))
"""


def test_a_kind_is_a_file_and_its_registration(tmp_path):
    package = Path(nachsicht.__file__).parent
    own = shutil.copytree(package, tmp_path / "nachsicht")
    (own / "columns/kinds/interval.py").write_text(INTERVAL, encoding="utf-8")
    assert len(KIND) + 1 == 4 + 1  # as the guide says: 4, and one for each language
    for name, changes in KIND.items():
        text = (own / name).read_text(encoding="utf-8")
        for before, after in changes:
            assert text.count(before) == 1, (name, before)
            text = text.replace(before, after)
        (own / name).write_text(text, encoding="utf-8")
    done = subprocess.run(
        [sys.executable, "-c", USE],
        cwd=tmp_path,
        env=os.environ | {"PYTHONPATH": str(tmp_path)},
        capture_output=True,
        text=True,
        check=False,
    )
    assert done.returncode == 0, done.stderr
    found = json.loads(done.stdout)
    assert Path(found.pop("where")).parent == own
    assert found == {
        "kind": "interval", "missing": 1, "months": 7, "kept": True, "page": True, "text": True,
    }  # fmt: skip


def test_an_engine_is_a_function_and_its_registration(monkeypatch):
    def in_thirds(opened, settings, listener, now):
        table = opened.table()
        plan = plan_table(table, settings, 1 << 30, opened.description, table.num_rows)
        step = -(-table.num_rows // 3)
        starts = range(0, table.num_rows, step)
        parts = [observe_table(table.slice(start, step), plan, start) for start in starts]
        return dispatch.EngineResult(finish_table(merged_in_order(parts, plan), plan, now).computed)

    monkeypatch.setitem(dispatch.ENGINES, "thirds", dispatch.Engine(in_thirds))
    opened: Opened = FrameSource(sample_table()).open()
    settings = Settings()
    local, *_ = dispatch.run_engine(opened, settings, lambda _: None)
    own, *_ = dispatch.run_engine(
        opened, msgspec.structs.replace(settings, engine="thirds"), lambda _: None
    )
    assert [c.missing for c in own.columns] == [c.missing for c in local.columns]
    for mine, theirs in zip(own.columns, local.columns, strict=True):
        assert mine.top_values == theirs.top_values, mine.name
    with nachsicht.use_language("en"):
        plan = plan_of(opened, msgspec.structs.replace(settings, engine="thirds"))
    assert "computes with thirds" in str(plan)
