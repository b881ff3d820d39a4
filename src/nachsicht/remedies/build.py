"""Remedies of the findings of a document, with their literals filled in."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from typing import Any

import msgspec

from nachsicht.arrow.text_values import DAY_MONTH_YEAR, PLAIN_NUMBER, SURE_DECIMAL_COMMA
from nachsicht.findings.fixes import (
    BLOCK,
    DATES,
    INDICATORS,
    MULTIPLIED,
    RARE,
    ROW_BEFORE,
    Template,
)
from nachsicht.findings.registry import FINDINGS
from nachsicht.i18n import phrase
from nachsicht.model.column import CategorySummary, ColumnSummary, QuantitySummary
from nachsicht.model.comparison import ComparisonDocument
from nachsicht.model.findings import Finding, Severity
from nachsicht.model.kinds import Kind

#: Levels beyond this share of the rows are rare; a column of few levels gets indicators.
COMMON, OTHER, FEW_LEVELS = 0.95, "other", 12
_MONTHS = 12


class Remedy(msgspec.Struct, frozen=True):
    """What mends one finding, or one column.

    Attributes
    ----------
    name : str
        The finding's code and the columns.
    comment : str
        The finding in words.
    pandas, polars : str
        Lines of code; the table is called ``frame``.
    usual : bool
        Whether it is right as a rule. Others are written, but switched off.
    """

    name: str
    comment: str
    pandas: str
    polars: str
    usual: bool


def remedies_of(document: ComparisonDocument) -> tuple[Remedy, ...]:
    """Remedies of all open findings of the newest step, in the order in which they apply."""
    newest = document.versions[-1].label
    findings = [f for f in document.findings if f.versions[-1] == newest and f.accepted is None]
    made = [(remedy_of(finding, document), finding.code) for finding in findings]
    in_order = sorted(
        ((remedy, _step_of(code)) for remedy, code in made if remedy), key=lambda entry: entry[1]
    )
    # Some findings have the same remedy, and some columns several of one code.
    by_code = {remedy.pandas: remedy for remedy, _ in reversed(in_order)}
    named: dict[str, Remedy] = {}
    for remedy in reversed(by_code.values()):
        name, n = remedy.name, 1
        while name in named:
            n += 1
            name = f"{remedy.name} ({n})"
        named[name] = msgspec.structs.replace(remedy, name=name)
    return (*named.values(), *_of_categories(document))


def remedy_of(finding: Finding, document: ComparisonDocument) -> Remedy | None:
    """The remedy of one finding; None where there is none that could be written down."""
    if finding.columns and not any(v.column(finding.columns[0]) for v in document.versions):
        return None  # a document may come from anywhere
    template = _template_of(finding, document)
    if template is None:
        return None
    literals = _literals(finding, document)
    if any(literals.get(name) is None for name in _open(template.pandas + template.polars)):
        return None
    usual = template.usual and finding.severity is not Severity.NOTE and _sure(finding)
    name = " ".join((finding.code, *finding.columns))
    comment = f"{finding.title}. {finding.sentence}"
    return _filled(name, comment, template, literals, usual)


def _filled(
    name: str, comment: str, template: Template, literals: dict[str, Any], usual: bool
) -> Remedy:
    written = {key: repr(value) for key, value in literals.items() if value is not None}
    written["root"] = str(literals.get("root"))  # a name of ours, not a text
    return Remedy(
        name,
        comment,
        template.pandas.format(**written),
        template.polars.format(**written),
        usual,
    )


def _open(text: str) -> set[str]:
    """Names that stand in single braces."""
    return set(re.findall(r"\{(\w+)\}", text))


def _step_of(code: str) -> tuple[int, int]:
    """By what remedies are ordered: their step, then the place of their code."""
    remedy = FINDINGS[code].remedy
    assert remedy
    return remedy.step, list(FINDINGS).index(code)


#: Forms of findings that something else mends.
_OF_FORM = {
    ("new_duplicate_rows", "renewed"): BLOCK,
    ("new_duplicate_rows", "block"): BLOCK,
    ("new_duplicate_rows", "consecutive"): ROW_BEFORE,
}


def _template_of(finding: Finding, document: ComparisonDocument) -> Template | None:
    if "where_only" in finding.evidence:
        return None  # of a part of the rows, and the remedies are of whole columns
    if finding.code == "stored_as_text" and _newest(finding, document).kind is Kind.DATETIME:
        return DATES
    if finding.code == "rescaled" and not finding.evidence.get("offset"):
        return MULTIPLIED
    of_form = _OF_FORM.get((finding.code, finding.form))
    return of_form or (FINDINGS[finding.code].remedy if finding.code in FINDINGS else None)


def _sure(finding: Finding) -> bool:
    """Whether nothing but the finding itself is needed to mend it."""
    evidence = finding.evidence
    if finding.code in ("sentinel_value", "sentinel_value_new"):
        return not isinstance(evidence.get("value"), str)  # a word may well mean something
    if finding.code == "rescaled" and finding.severity is not Severity.ACT:
        return False
    names = ("share" if finding.code == "swapped" else "scaled_share", "part")
    parts = [evidence.get(name, 1.0) for name in names]
    return all(isinstance(part, int | float) and part >= 1.0 for part in parts)


def _literals(finding: Finding, document: ComparisonDocument) -> dict[str, Any]:
    """The finding's evidence, and what else its template may need."""
    found: dict[str, Any] = {
        name: list(value) if isinstance(value, tuple) else value
        for name, value in finding.evidence.items()
        if name != "root" and not (isinstance(value, float) and not math.isfinite(value))
    }
    if not finding.columns:
        return found
    found["column"] = finding.columns[0]
    if finding.code != "reimported_rows":
        found["columns"] = list(finding.columns)
    found["columns_back"] = list(reversed(finding.columns))
    if isinstance(found.get("spellings"), list):  # a document may hold anything
        found["spelling"], *found["others"] = found["spellings"] or [None]
    found["root"] = {"log": "log", "square_root": "sqrt"}.get(str(found.get("best_transform")))
    column = _newest(finding, document)
    found |= _writing(column) | {"decimals": _decimals(finding, document)}
    return found


def _writing(column: ColumnSummary) -> dict[str, Any]:
    """How numbers and dates are written in a column of texts, by those that are known."""
    texts = [text for text in (column.first_value, column.last_value) if text]
    comma = any(re.search(SURE_DECIMAL_COMMA, text) for text in texts)
    days = [match for text in texts if (match := re.match(DAY_MONTH_YEAR, text))]
    month_first = any(int(match[3]) > _MONTHS for match in days)
    sign = days[0][2] if days else "/"
    day = f"%m{sign}%d{sign}%Y" if month_first else f"%d{sign}%m{sign}%Y"
    clocks = ("", " %H:%M", " %H:%M:%S")
    return {
        "decimal": "," if comma else ".",
        "thousands": "." if comma else ",",
        "number": f"({PLAIN_NUMBER})",
        "day_first": bool(days) and not month_first,
        "forms": [f"{date}{clock}" for date in (day, "%Y-%m-%d") for clock in clocks],
    }


def _newest(finding: Finding, document: ComparisonDocument) -> ColumnSummary:
    column = document.versions[-1].column(finding.columns[0])
    return column or next(
        summary
        for version in reversed(document.versions)
        if (summary := version.column(finding.columns[0]))
    )


def _decimals(finding: Finding, document: ComparisonDocument) -> int:
    """Decimals that the version before was written with; twelve are as good as all."""
    across = next((c for c in document.columns if finding.columns[0] in c.names), None)
    if across is None or len(document.versions) < 2 or across.names[-2] is None:
        return 12
    older = document.versions[-2].column(across.names[-2])
    detail = older.stats if older else None
    known = isinstance(detail, QuantitySummary) and detail.decimals is not None
    return detail.decimals if known else 12  # type: ignore[union-attr,return-value]


def _of_categories(document: ComparisonDocument) -> Iterator[Remedy]:
    """Rare levels put together, and indicators: for a model, where the analyst wants them."""
    for column in document.versions[-1].columns:
        detail = column.stats
        if not isinstance(detail, CategorySummary) or column.kind is not Kind.CATEGORY:
            continue
        literals = {"column": column.name, "share": COMMON, "other": OTHER}
        if detail.rare_levels > 1:
            comment = phrase("remedies.rare_levels", column=column.name, n=detail.rare_levels)
            yield _filled(f"rare levels {column.name}", comment, RARE, literals, False)
        if 2 < column.distinct <= FEW_LEVELS:
            comment = phrase("remedies.indicators", column=column.name, n=column.distinct)
            yield _filled(f"indicators {column.name}", comment, INDICATORS, literals, False)
