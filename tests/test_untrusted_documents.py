"""A document may come from anywhere: nothing of it becomes style, code or a command."""

import ast
import json

import numpy as np
import pandas as pd
import pytest

import nachsicht
from nachsicht.findings.registry import FINDINGS

RNG = np.random.default_rng(3)


@pytest.fixture
def comparison(tmp_path):
    before = pd.DataFrame({"kg": RNG.normal(50, 10, 2000).round(1), "n": RNG.lognormal(0, 2, 2000)})
    return json.loads(nachsicht.compare(before, before.assign(kg=before["kg"] * 2.2046)).to_json())


def written(tmp_path, document):
    path = tmp_path / "changes.json"
    path.write_text(json.dumps(document))
    return path


@pytest.mark.parametrize(
    "theme",
    [
        {"ink": "red; } body { display: none"},
        {"ghost": "#0f4c4a; background: url(//nowhere)"},
        {"logo": "javascript:alert(1)"},
        {"logo": 'data:image/svg+xml;base64,AA" onload=alert(1) x="'},
        {"logo": "https://nowhere/logo.png"},
    ],
)
def test_a_theme_that_is_more_than_colours_is_refused(tmp_path, comparison, theme):
    comparison["theme"] = theme
    with pytest.raises(nachsicht.DocumentError, match="damaged"):
        nachsicht.read(written(tmp_path, comparison))


@pytest.mark.parametrize(
    "fact", [None, "", "ten", -1, 1e308, [], [1, 2], ["a"], [[1], [2]]], ids=repr
)
def test_odd_evidence_of_any_finding_spoils_nothing(tmp_path, comparison, fact):
    (example,) = [f for f in comparison["findings"] if f["code"] == "rescaled"]
    comparison["findings"] += [
        example
        | {"code": code, "form": form, "evidence": dict.fromkeys(known.evidence.split(), fact)}
        for code, known in FINDINGS.items()
        for form in ("", "odd")
    ]
    for language in ("en", "de"):
        with nachsicht.use_language(language):
            changes = nachsicht.read(written(tmp_path, comparison))
            for finding in changes.findings:
                assert finding.title
        for text in (changes.to_html(), changes.to_markdown(), str(changes), changes.remedies()):
            assert text


def test_evidence_never_becomes_code(tmp_path, comparison):
    code = "__import__('os').system('touch harm')"
    (finding,) = [f for f in comparison["findings"] if f["code"] == "rescaled"]
    finding["evidence"] = dict.fromkeys(finding["evidence"], code) | {"root": code}
    skewed = finding | {"code": "skewed", "evidence": {"root": code, "skewness": 3.0}}
    odd = finding | {"code": "shifted", "evidence": {"shift": code, "decimals": code}}
    skewed["evidence"]["closest"] = code
    absent = finding | {"columns": [f"kg'] = {code} #"]}
    comparison["findings"] += [skewed, odd, absent]
    for library in ("pandas", "polars"):
        script = nachsicht.read(written(tmp_path, comparison)).remedies(library)
        called = {
            node.func.id
            for node in ast.walk(ast.parse(script))
            if isinstance(node, ast.Call) and isinstance(node.func, ast.Name)
        }
        assert "__import__" not in called


def test_control_characters_reach_neither_page_nor_terminal(page_data):
    name = "kg\x1b[31m\x07\x00\x9b"
    frame = pd.DataFrame({name: range(50), "t\x1b": ["a\x1b]0;x\x07", "b\\u001b"] * 25})
    result = nachsicht.profile(frame)
    html = result.to_html()
    controls = [chr(n) for n in range(32) if chr(n) not in "\t\n\r"] + ["\x7f", "\x9b"]
    shown = html.split('<script type="application/gzip"')[0]
    data = json.dumps(page_data(html), ensure_ascii=False)
    for text in (shown, data, str(result), repr(result.column(name)), repr(result.findings)):
        assert not [sign for sign in controls if sign in text]
    assert "\\u001b" not in data.replace("\\\\u001b", "")
    assert "b\\\\u001b" in data  # a text that only looks like one
