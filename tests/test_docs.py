"""Every name that the guides use is there, and the reference leaves none out."""

import ast
import re
import tomllib
from pathlib import Path

import click
import msgspec
import pytest

import nachsicht
from nachsicht.cli import main
from nachsicht.config.options import Options
from nachsicht.config.settings import settings_of
from nachsicht.findings.registry import FINDINGS
from nachsicht.model.comparison import ComparisonDocument
from nachsicht.model.profile import ProfileDocument

ROOT = Path(__file__).parents[1]
GUIDES = [ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md"))]
#: What the guides call results, by the class of which they are.
RESULTS = {
    "changes": nachsicht.Comparison,
    "page": nachsicht.Profile,
    "checks": nachsicht.Profile,
    "finding": nachsicht.Finding,
}
CALLS = ("profile", "compare", "compare_groups", "plan", "assert_steady")
OWN = {
    "last",
    "moment",
    "label",
    "labels",
    "settings",
    "progress",
    "by",
    "groups",
    "split_at",
    "stop_on",
}


def blocks(guide, language):
    return re.findall(rf"```{language}\n(.*?)```", guide.read_text(encoding="utf-8"), re.DOTALL)


def options_of(command):
    found = {name for one in command.params if isinstance(one, click.Option) for name in one.opts}
    for each in getattr(command, "commands", {}).values():
        found |= options_of(each)
    return found | {"--help", "--version", "--nachsicht-baseline"}  # the last is one of pytest


@pytest.mark.parametrize("guide", GUIDES, ids=lambda guide: guide.name)
def test_options_settings_and_members_that_a_guide_names_are_there(guide):
    known = options_of(main)
    for line in guide.read_text(encoding="utf-8").splitlines():
        if "nachsicht" in line or line.startswith(("`--", "  `--")) or "(`--" in line:
            for option in re.findall(r"(?<![\w-])--[a-z][a-z-]+", line):
                assert option in known, option
    for block in blocks(guide, "toml"):
        settings_of(tomllib.loads(block))
    for block in blocks(guide, "python"):
        for node in ast.walk(ast.parse(block)):
            if isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name):
                owner = {"nachsicht": nachsicht, **RESULTS}.get(node.value.id)
                fields = getattr(owner, "__struct_fields__", ())
                assert owner is None or hasattr(owner, node.attr) or node.attr in fields, node.attr
            if (
                isinstance(node, ast.Call)
                and isinstance(node.func, ast.Attribute)
                and node.func.attr in CALLS
            ):
                named = {keyword.arg for keyword in node.keywords}
                assert named <= {*Options.__annotations__, *OWN}, named


def structs_of(kind, seen):
    """All structures that a type is made of."""
    for one in msgspec.inspect.multi_type_info([kind]):
        waiting = [one]
        while waiting:
            info = waiting.pop()
            if isinstance(info, msgspec.inspect.StructType):
                if info.cls in seen:
                    continue
                seen.add(info.cls)
                waiting += [field.type for field in info.fields]
            for part in ("types", "item_types"):
                waiting += getattr(info, part, ())
            for part in ("item_type", "value_type"):
                waiting += [getattr(info, part)] if hasattr(info, part) else []
    return seen


def test_the_reference_names_every_public_object_structure_and_protocol():
    text = (ROOT / "docs" / "reference.md").read_text(encoding="utf-8")
    named = set(re.findall(r"auto\w+:: (?:[\w.]+\.)?(\w+)", text))
    assert set(nachsicht.__all__) - {"__version__", "Kind", "Severity"} <= named
    modules = set(re.findall(r"automodule:: ([\w.]+)", text))
    structs = structs_of(ProfileDocument, structs_of(ComparisonDocument, set()))
    assert len(structs) > 50
    lacking = {one for one in structs if one.__module__ not in modules}
    assert {one.__name__ for one in lacking} <= named
    assert {"nachsicht.model.parts", "nachsicht.sources.protocol"} <= modules


def test_fields_and_codes_that_the_page_on_documents_names_are_there():
    text = (ROOT / "docs" / "documents.md").read_text(encoding="utf-8")
    structs = structs_of(ProfileDocument, structs_of(ComparisonDocument, set()))
    fields = {name for one in structs for name in one.__struct_fields__} | {"type", "null"}
    table = text[text.index("| part of a profile") :]
    for name in re.findall(r"`([a-z_]+)`", table):
        assert name in fields or name in {"versions"}, name
    codes = set(
        re.findall(r"^\| `(\w+)` \|", (ROOT / "docs/findings.md").read_text(), re.MULTILINE)
    )
    assert codes == set(FINDINGS)
