"""The registry of findings: all that is known of a code stands in one entry.

Its words (title, sentence, next step, an example) stand under the same code in the catalogues.
A finding's size runs from 0 to 1; the entry says from which size on it has which severity (see
`thresholds.py`, where the user's own limits are laid over these).
"""

from __future__ import annotations

from typing import Any, NamedTuple

from nachsicht.findings import fixes, locate
from nachsicht.findings.fixes import Template
from nachsicht.findings.locate import Locator
from nachsicht.model.findings import FindingCode
from nachsicht.model.kinds import Kind

QUANTITIES = (Kind.QUANTITY, Kind.DURATION)
LEVELS = (Kind.CATEGORY, Kind.FLAG)
WRITTEN = (Kind.CATEGORY, Kind.FLAG, Kind.TEXT, Kind.IDENTIFIER)
ANY = tuple(kind for kind in Kind if kind is not Kind.EMPTY)
ROWS: tuple[Kind, ...] = ()


class FindingType(NamedTuple):
    """What findings of one code have in common.

    Attributes
    ----------
    code : FindingCode
    between : bool
        Whether it speaks of two versions.
    kinds : tuple of Kind
        Columns that can have it; none for one of the rows.
    evidence : str
        Names of the facts that it may rest on, between spaces.
    note, check, act : float, optional
        Sizes from which on it has that severity; None where its size never gives it.
    rows, rows_before : Locator
        Where the rows are that show it, in the version that it speaks of and in the one before.
    remedy : Template, optional
        What mends it.
    """

    code: FindingCode
    between: bool
    kinds: tuple[Kind, ...]
    evidence: str
    note: float | None = None
    check: float | None = None
    act: float | None = None
    rows: Locator = locate.ANY_PRESENT
    rows_before: Locator = locate.ANY_PRESENT
    remedy: Template | None = None


def _within(code: FindingCode, kinds: tuple[Kind, ...], **entry: Any) -> FindingType:
    return FindingType(code, False, kinds, **entry)


def _between(code: FindingCode, kinds: tuple[Kind, ...], **entry: Any) -> FindingType:
    return FindingType(code, True, kinds, **entry)


#: What is odd within one version.
_WITHIN = (
    _within(
        "duplicate_rows",
        ROWS,
        note=0.0005,
        check=0.0005,
        evidence="rows share first_row last_row "
        "first_original_row last_original_row equal_rows groups_of_rows",
        rows=locate.REPEATED,
        remedy=fixes.FIRST_OF_EQUAL,
    ),
    _within(
        "reimported_rows",
        (Kind.IDENTIFIER,),
        check=0.0,
        evidence="rows columns first_row last_row first_original_row last_original_row",
        rows=locate.REPEATED,
        rows_before=locate.NONE,
        remedy=fixes.REIMPORTED_ROWS,
    ),
    _within("malformed_lines", ROWS, check=0.0, evidence="lines padded"),
    _within(
        "schema_violation",
        ANY,
        check=0.0,
        act=0.2,
        evidence="rule promise rows share examples source",
        rows=locate.VIOLATING,
    ),
    _within("schema_missing_columns", ROWS, check=0.0, evidence="columns source"),
    _within("undocumented_columns", ANY, note=0.0, evidence="columns source", rows=locate.NONE),
    _within(
        "identifier_repeats",
        (Kind.IDENTIFIER,),
        check=0.0,
        evidence="values rows",
        rows=locate.TWICE,
        rows_before=locate.TWICE,
    ),
    _within(
        "sentinel_value",
        ANY,
        check=0.0,
        evidence="value rows share low high",
        rows=locate.equal("value"),
        remedy=fixes.SENTINEL,
    ),
    _within(
        "similar_levels",
        LEVELS,
        check=0.0,
        evidence="spellings counts rows",
        rows=locate.equal("spellings"),
        remedy=fixes.SIMILAR_LEVELS,
    ),
    _within("garbled_text", WRITTEN, note=0.0, check=0.001, act=0.2, evidence="rows share"),
    _within("mixed_types", WRITTEN, note=0.0, check=0.02, evidence="rows others share"),
    _within(
        "all_missing",
        (Kind.EMPTY,),
        check=0.0,
        evidence="missing rows",
        rows=locate.MISSING,
        remedy=fixes.DROP,
    ),
    _within(
        "missing_values",
        ANY,
        note=0.05,
        check=0.4,
        evidence="missing rows share by level share_of_missing level_share",
        rows=locate.MISSING,
    ),
    _within("missing_together", ANY, note=0.0, evidence="columns rows", rows=locate.MISSING),
    _within(
        "infinite_values",
        QUANTITIES,
        check=0.0,
        evidence="rows",
        rows=locate.INFINITE,
        remedy=fixes.INFINITE,
    ),
    _within(
        "future_dates",
        (Kind.DATETIME,),
        note=0.0,
        check=0.001,
        evidence="rows share last",
        rows=locate.LATEST,
    ),
    _within(
        "leakage", ANY, check=0.0, evidence="outcome measure strength", remedy=fixes.DROP.unusual
    ),
    _within("collinear", QUANTITIES, note=0.0, evidence="columns weakest", rows=locate.ANY_PRESENT),
    _within("constant", ANY, note=0.0, evidence="value", rows=locate.NONE, remedy=fixes.DROP),
    _within(
        "nearly_constant",
        ANY,
        note=0.0,
        evidence="value share",
        rows=locate.equal("value"),
        remedy=fixes.DROP.unusual,
    ),
    _within("imbalance", LEVELS, note=0.9, evidence="level share", rows=locate.equal("level")),
    _within(
        "stored_as_text",
        (*QUANTITIES, Kind.DATETIME),
        note=0.0,
        evidence="dtype",
        remedy=fixes.NUMBERS,
    ),
    _within(
        "skewed",
        QUANTITIES,
        note=0.0,
        evidence="skewness best_transform",
        rows=locate.OUTERMOST,
        remedy=fixes.SKEWED.unusual,
    ),
    _within("zeros", QUANTITIES, note=0.3, evidence="rows share", rows=locate.ZERO),
    _within(
        "outliers", QUANTITIES, note=0.0, evidence="rows share low high", rows=locate.OUTERMOST
    ),
    _within(
        "blank",
        (Kind.TEXT,),
        note=0.0,
        check=0.05,
        evidence="rows share",
        rows=locate.BLANK,
        remedy=fixes.BLANK,
    ),
)

#: What changed between two versions: rows and columns, a column as a whole, why its values
#: changed, and symptoms without a cause that is known.
_BETWEEN = (
    _between(
        "rows_lost",
        ROWS,
        note=0.05,
        check=0.1,
        act=0.5,
        evidence="rows old_rows new_rows share by level share_of_lost after before cut_share "
        "level_share rest_share first_row last_row",
    ),
    _between(
        "period_missing",
        (Kind.DATETIME,),
        check=0.0,
        act=0.1,
        evidence="by first last rows share",
        rows=locate.NONE,
    ),
    _between(
        "new_duplicate_rows",
        ROWS,
        act=0.0005,
        evidence="rows share old_share first_row "
        "last_row equal_rows first_original_row last_original_row groups_of_rows",
        rows=locate.REPEATED,
        rows_before=locate.NONE,
        remedy=fixes.FIRST_OF_EQUAL,
    ),
    _between("key_not_unique", ROWS, act=0.0, evidence="key rows"),
    _between(
        "new_duplicate_ids",
        (Kind.IDENTIFIER,),
        check=0.0,
        act=0.02,
        evidence="values rows old_rows",
        rows=locate.TWICE,
        rows_before=locate.NONE,
    ),
    _between("named_column_lost", ANY, act=0.0, evidence="role without kind kind_without"),
    _between(
        "renamed", ANY, act=0.0, evidence="old_name new_name confidence", remedy=fixes.RENAMED
    ),
    _between("removed", ANY, act=0.0, evidence="kind"),
    _between("added", ANY, note=0.0, evidence="kind missing_share partner measure strength"),
    _between("reordered", ROWS, note=0.0, evidence="columns"),
    _between(
        "swapped", ANY, act=0.0, evidence="columns distance residual share", remedy=fixes.SWAPPED
    ),
    _between("retyped", ANY, act=0.0, evidence="old_kind new_kind old_dtype new_dtype"),
    _between(
        "numbers_as_text",
        (*WRITTEN, *QUANTITIES),
        act=0.0,
        evidence="old_dtype new_dtype readable unreadable example",
        remedy=fixes.NUMBERS,
    ),
    _between(
        "dates_as_text",
        (*WRITTEN, Kind.DATETIME),
        act=0.0,
        evidence="old_dtype new_dtype readable unreadable example",
        remedy=fixes.DATES,
    ),
    _between(
        "format_changed",
        ANY,
        check=0.0,
        evidence="old_pattern new_pattern old_unit new_unit rows share old_decimals new_decimals",
        rows=locate.WRITTEN,
        rows_before=locate.WRITTEN,
    ),
    _between("dtype_changed", ANY, check=0.0, evidence="old_dtype new_dtype kind"),
    _between(
        "became_constant", ANY, act=0.0, evidence="value old_distinct", remedy=fixes.DROP.unusual
    ),
    _between(
        "sentinel_value_new",
        ANY,
        check=0.0,
        act=0.002,
        evidence="value rows share",
        rows=locate.equal("value"),
        rows_before=locate.NONE,
        remedy=fixes.SENTINEL,
    ),
    _between(
        "infinite_values_new",
        QUANTITIES,
        check=0.0,
        act=0.1,
        evidence="rows share old_share",
        rows=locate.INFINITE,
        rows_before=locate.NONE,
        remedy=fixes.INFINITE,
    ),
    _between(
        "out_of_range",
        QUANTITIES,
        check=0.0,
        act=0.2,
        evidence="side rows share value bound away",
        rows=locate.BEYOND,
        rows_before=locate.NONE,
    ),
    _between(
        "value_spike",
        ANY,
        note=0.01,
        check=0.02,
        act=0.2,
        evidence="value rows share old_share",
        rows=locate.equal("value"),
        rows_before=locate.NONE,
    ),
    _between(
        "missing_imputed",
        ANY,
        check=0.0,
        act=0.2,
        evidence="value rows share old_share old_missing",
        rows=locate.equal("value"),
        rows_before=locate.MISSING,
    ),
    _between(
        "rescaled",
        QUANTITIES,
        act=0.0,
        evidence="factor offset centre conversion scaled_share distance residual",
        remedy=fixes.RESCALED,
    ),
    _between(
        "shifted",
        QUANTITIES,
        note=0.05,
        check=0.08,
        act=0.4,
        evidence="shift distance residual scaled_share",
        remedy=fixes.SHIFTED,
    ),
    _between(
        "sign_flipped",
        QUANTITIES,
        act=0.0,
        evidence="distance residual scaled_share",
        remedy=fixes.SIGN_FLIPPED,
    ),
    _between(
        "clipped",
        QUANTITIES,
        check=0.0,
        act=0.1,
        evidence="cap rows share outside",
        rows=locate.equal("cap"),
    ),
    _between("rounded", QUANTITIES, check=0.0, evidence="step share old_share"),
    _between("heaped", QUANTITIES, note=0.05, check=0.08, evidence="step share old_share"),
    _between(
        "text_truncated",
        WRITTEN,
        check=0.0,
        act=0.05,
        evidence="length rows share old_longest new_spellings old_spellings",
    ),
    _between(
        "garbled_text_new",
        WRITTEN,
        note=0.0,
        check=0.0,
        act=0.05,
        evidence="rows share old_share new_spellings old_spellings",
    ),
    _between(
        "dates_shifted",
        (Kind.DATETIME,),
        act=0.0,
        evidence="days residual distance",
        remedy=fixes.DATES_SHIFTED,
    ),
    _between(
        "timezone_shifted",
        (Kind.DATETIME,),
        act=0.0,
        evidence="hours residual distance part",
        remedy=fixes.TIMEZONE_SHIFTED,
    ),
    _between(
        "day_month_swapped",
        (Kind.DATETIME,),
        act=0.0,
        evidence="distance residual part",
        remedy=fixes.DAY_MONTH_SWAPPED,
    ),
    _between("time_of_day_lost", (Kind.DATETIME,), act=0.0, evidence="share old_share"),
    _between(
        "relabelled",
        LEVELS,
        act=0.0,
        evidence="old_levels new_levels share residual",
        rows=locate.equal("new_levels"),
        rows_before=locate.equal("old_levels"),
        remedy=fixes.RELABELLED,
    ),
    _between(
        "respelled",
        LEVELS,
        act=0.0,
        evidence="old_spellings new_spellings share within spellings",
        rows=locate.equal("new_spellings"),
        rows_before=locate.equal("old_spellings"),
        remedy=fixes.RESPELLED,
    ),
    _between(
        "new_levels",
        LEVELS,
        note=0.005,
        check=0.02,
        evidence="levels share",
        rows=locate.equal("levels"),
        rows_before=locate.NONE,
    ),
    _between(
        "missing_levels",
        LEVELS,
        note=0.005,
        check=0.02,
        evidence="levels share",
        rows=locate.NONE,
        rows_before=locate.equal("levels"),
    ),
    _between(
        "missing_increased",
        ANY,
        note=0.001,
        check=0.03,
        act=0.2,
        evidence="missing rows share old_share by level share_of_new_missing",
        rows=locate.MISSING,
        rows_before=locate.ANY_PRESENT,
    ),
    _between(
        "missing_decreased",
        ANY,
        note=0.02,
        evidence="missing rows share old_share",
        rows_before=locate.MISSING,
    ),
    _between(
        "distribution_shift",
        QUANTITIES,
        note=0.05,
        check=0.1,
        act=0.4,
        evidence="distance old_median new_median old_high new_high high old_low new_low old_spread "
        "new_spread by level share_of_shift",
    ),
    _between(
        "category_shift",
        LEVELS,
        note=0.05,
        check=0.1,
        act=0.4,
        evidence="distance level old_share new_share",
    ),
    _between(
        "length_shift",
        (Kind.TEXT,),
        note=0.05,
        check=0.1,
        evidence="distance old_median new_median",
    ),
    _between(
        "pattern_shift",
        (Kind.IDENTIFIER,),
        note=0.02,
        check=0.05,
        act=0.4,
        evidence="distance pattern old_share new_share",
    ),
    _between(
        "dates_redistributed",
        (Kind.DATETIME,),
        note=0.05,
        check=0.1,
        evidence="distance weekday hour day month old_share new_share",
    ),
    _between(
        "values_changed",
        ANY,
        note=0.0,
        check=0.01,
        evidence="rows matched share key old_value new_value rewrite rewrite_share amount unit "
        "direction factor offset step value bits length from_column old_levels new_levels levels",
    ),
    _between(
        "gradual_drift",
        ANY,
        note=0.05,
        check=0.1,
        act=0.4,
        evidence="distance since",
        rows=locate.NONE,
        rows_before=locate.NONE,
    ),
    _between(
        "leakage_new",
        ANY,
        check=0.0,
        evidence="outcome measure old_strength new_strength",
        remedy=fixes.DROP.unusual,
    ),
    _between(
        "association_lost",
        ANY,
        note=0.15,
        check=0.2,
        act=0.5,
        evidence="partners measure old_strength new_strength p_value",
    ),
    _between(
        "association_reversed",
        ANY,
        check=0.0,
        act=0.5,
        evidence="partners measure old_strength new_strength p_value",
    ),
    _between(
        "association_new",
        ANY,
        note=0.15,
        check=0.2,
        act=0.5,
        evidence="partners measure old_strength new_strength p_value",
    ),
)

FINDINGS: dict[str, FindingType] = {entry.code: entry for entry in (*_WITHIN, *_BETWEEN)}
