"""Documents of format 1, brought to the form of format 2.

Format 1 wrote many structures as arrays, names that have changed since, sentences in English, and
-1 or an empty text for what there is none of. The names here are those of that format; whatever
is not listed has the same name in both.
"""

from __future__ import annotations

import tomllib
from collections.abc import Callable
from typing import Any

import tomli_w
from msgspec import inspect

#: By structure: its former field names.
_FIELDS: dict[str, dict[str, str]] = {
    "Ecdf": {"below": "lt", "at_most": "le", "complete": "exact"},
    "Histogram": {"before": "underflow", "after": "overflow"},
    "NormalFit": {
        "fit": "ppcc",
        "fit_log": "ppcc_log",
        "fit_square_root": "ppcc_square_root",
        "closest": "best_transform",
    },
    "QuantitySummary": {
        "finite": "n_finite",
        "sd": "std",
        "variation": "cv",
        "infinite_below": "neg_inf",
        "infinite_above": "pos_inf",
        "whole": "all_integers",
        "multiples": "round_number_counts",
        "knots": "ecdf",
    },
    "CategorySummary": {
        "further_levels": "other_levels",
        "further_rows": "other_rows",
        "levels_for_most": "levels_for_80pct",
        "look_alikes": "similar_levels",
        "shortest": "min_length",
        "longest": "max_length",
    },
    "EmptyPeriods": {"units": "periods"},
    "DatetimeSummary": {
        "clock": "time_of_day",
        "stretches": "gaps",
        "missing_units": "empty_periods",
        "knots": "ecdf",
    },
    "TextSummary": {
        "characters": "char_count",
        "words": "word_count",
        "space_before": "leading_space",
        "space_after": "trailing_space",
        "shapes": "patterns",
        "looks_like": "semantic_types",
    },
    "Sequence": {"before": "prefix", "skipped": "missing_numbers"},
    "IdentifierSummary": {
        "repeated_values": "duplicate_values",
        "repeated_rows": "duplicate_rows",
        "shapes": "patterns",
        "shortest": "min_length",
        "longest": "max_length",
        "sample": "min_hashes",
    },
    "TextFormat": {
        "shape": "pattern",
        "numbers": "numeric_rows",
        "dates": "date_rows",
        "damaged": "garbled_rows",
    },
    "ErrorBounds": {"ranks": "rank", "distinct": "distinct_rel", "frequent": "count"},
    "ColumnSummary": {
        "stored_type": "dtype",
        "written": "text_format",
        "once": "unique_once",
        "agreement": "collision_probability",
        "frequent": "top_values",
        "rarest": "rare_values",
        "first_seen": "first_value",
        "last_seen": "last_value",
        "detail": "stats",
        "accuracy": "error_bounds",
    },
    "Origin": {"made_at": "created_at", "unread_lines": "malformed_lines"},
    "DuplicateRun": {"first_original": "first_original_row"},
    "DuplicateGroup": {"places": "row_numbers"},
    "Duplicates": {
        "repeated_rows": "duplicate_rows",
        "blocks": "runs",
        "places": "counts_by_block",
    },
    "GroupStats": {"sds": "stds"},
    "Relation": {
        "one": "x",
        "other": "y",
        "strength": "value",
        "error": "std_error",
        "explains": "x_predicts_y",
        "explained": "y_predicts_x",
        "kendall_error": "kendall_error_bound",
    },
    "TooFewRows": {"one": "x", "other": "y"},
    "Relations": {
        "drawn": "sampled_rows",
        "explaining": "cv_rows",
        "alone": "unrelated",
        "lumped": "merged_levels",
        "left_out": "excluded",
        "pairs_in_all": "total_pairs",
        "too_few_in_all": "total_too_few",
    },
    "Excerpt": {"drawn": "sampled", "outlying": "outlier_rows"},
    "ProfileDocument": {
        "repeats": "duplicates",
        "further_repeats": "duplicates_by_subset",
        "gaps": "missing_patterns",
        "gaps_by_level": "missing_by_level",
        "gaps_among": "missing_hotspots",
        "gap_bounds": "missing_thresholds",
        "spread_by_level": "group_stats",
    },
    "MissingPatterns": {
        "only_missing": "sole_missing",
        "further_patterns": "other_patterns",
        "further_rows": "other_rows",
        "places": "counts_by_block",
    },
    "MissingPair": {"one": "x", "other": "y", "shared": "jaccard"},
    "Axis": {"time": "is_time"},
    "GridView": {"beyond": "outside"},
    "Box": {"beyond": "outside", "whisker_low": "low_whisker", "whisker_high": "high_whisker"},
    "SharesView": {"levels": "x_levels", "others": "y_levels"},
    "TimeView": {"time": "is_time"},
    "PairView": {"one": "x", "other": "y", "parts": "facets"},
    "OverTime": {"moment": "time_column"},
    "Components": {"left_out": "excluded", "explained": "explained_variance", "plane": "scores"},
    "OutcomeView": {"explained": "explained_share"},
    "Outcome": {"left_out": "excluded"},
    "BinnedDistribution": {"before": "underflow", "after": "overflow", "unit": "step"},
    "LevelsDistribution": {"further_levels": "other_levels", "further": "other_counts"},
    "TimeDistribution": {"clock": "time_of_day"},
    "Measure": {"off": "error_bound"},
    "Transition": {
        "chance": "p_value",
        "by_chance": "not_significant",
        "missing_rise": "missing_delta",
        "distinct_rise": "distinct_delta",
        "retyped": "kind_changed",
    },
    "Overall": {"step": "transition", "course": "trajectory", "since": "since_version"},
    "ColumnComparison": {
        "spread": "distribution",
        "log_spread": "log_distribution",
        "steps": "transitions",
        "way": "overall",
        "weight": "severity",
    },
    "RowChanges": {
        "found": "key_detected",
        "same": "unchanged",
        "cells": "changed_cells",
        "repeated_keys": "duplicate_keys",
    },
    "RelationChange": {
        "one": "x",
        "other": "y",
        "old": "old_value",
        "new": "new_value",
        "chance": "p_value",
    },
    "StaleEntry": {"because": "reason"},
    "ComparisonDocument": {"planes": "pca_scores", "stale": "stale_baseline"},
    "Finding": {"weight": "severity", "shown": "example_rows"},
    "ColumnDescription": {
        "missing_marks": "na_values",
        "shortest": "min_length",
        "longest": "max_length",
        "form": "format",
    },
}
#: Codes of findings.
CODES = {
    "rows_repeated": "duplicate_rows",
    "repeats_new": "new_duplicate_rows",
    "names_renewed": "reimported_rows",
    "lines_unread": "malformed_lines",
    "described_otherwise": "schema_violation",
    "described_absent": "schema_missing_columns",
    "not_described": "undocumented_columns",
    "stand_in": "sentinel_value",
    "stand_in_new": "sentinel_value_new",
    "look_alikes": "similar_levels",
    "letters_damaged": "garbled_text",
    "letters_damaged_new": "garbled_text_new",
    "gaps": "missing_values",
    "gaps_risen": "missing_increased",
    "gaps_fallen": "missing_decreased",
    "gaps_together": "missing_together",
    "gaps_filled": "missing_imputed",
    "infinite": "infinite_values",
    "infinite_new": "infinite_values_new",
    "future": "future_dates",
    "gives_away": "leakage",
    "gives_away_new": "leakage_new",
    "moves_together": "collinear",
    "key_repeats": "key_not_unique",
    "identifier_repeats_new": "new_duplicate_ids",
    "written_otherwise": "format_changed",
    "stored_type": "dtype_changed",
    "surged": "value_spike",
    "turned": "sign_flipped",
    "texts_cut": "text_truncated",
    "moments_shifted": "dates_shifted",
    "clock_shifted": "timezone_shifted",
    "day_month_exchanged": "day_month_swapped",
    "times_lost": "time_of_day_lost",
    "times_moved": "dates_redistributed",
    "levels_new": "new_levels",
    "levels_gone": "missing_levels",
    "spread_moved": "distribution_shift",
    "shares_moved": "category_shift",
    "lengths_moved": "length_shift",
    "shapes_moved": "pattern_shift",
    "cells_changed": "values_changed",
    "crept": "gradual_drift",
    "relation_broken": "association_lost",
    "relation_turned": "association_reversed",
    "relation_new": "association_new",
}
#: Facts of findings.
_FACTS = {
    "beyond": "outside",
    "chance": "p_value",
    "closest": "best_transform",
    "first_original": "first_original_row",
    "infinite": "rows",
    "left_over": "residual",
    "new": "new_strength",
    "old": "old_strength",
    "new_shape": "new_pattern",
    "old_shape": "old_pattern",
    "new_type": "new_dtype",
    "old_type": "old_dtype",
    "part": "scaled_share",
    "part_of_gaps": "share_of_missing",
    "part_of_loss": "share_of_lost",
    "part_of_move": "share_of_shift",
    "part_of_rise": "share_of_new_missing",
    "shape": "pattern",
    "stored_type": "dtype",
    "zeros": "rows",
}
#: Settings, as texts of settings files name them.
_SETTINGS = {
    "missing_marks": "na_values",
    "missing_marks_in": "na_values_by_column",
    "gaps_lot": "high_missing_share",
    "gaps_mostly": "mostly_missing_share",
    "repeats_in": "duplicates_in",
    "moment": "time_column",
    "chance": "alpha",
    "frequent_values": "top_values",
    "level_cap": "max_levels",
    "discrete_values": "max_discrete_values",
}
#: Values of enumerations.
_VALUES = {
    "moment": "datetime",
    "strictly_rising": "strictly_increasing",
    "rising": "increasing",
    "strictly_falling": "strictly_decreasing",
    "falling": "decreasing",
    "back": "reverted",
}
#: What texts look like.
_SEMANTIC = {
    "e-mail address": "email",
    "URL": "url",
    "number with a unit": "number_with_unit",
    "JSON": "json",
}
#: Formats of sources.
_FORMATS = {
    "delimited text": "csv",
    "workbook": "excel",
    "JSON Lines": "json_lines",
    "JSON": "json",
    "Parquet": "parquet",
    "Arrow": "arrow",
}
_OTHERS = "the others"


def upgraded(data: dict[str, Any], document: Any) -> dict[str, Any]:
    """The plain values of a document of format 1 as those of format 2.

    Parameters
    ----------
    data : dict
        As it was read from JSON.
    document : type
        What documents are: a union of structures.

    Returns
    -------
    dict
        To be converted, and so checked, by the types of today.
    """
    whole: dict[str, Any] = _value({**data, "type": data.get("what")}, inspect.type_info(document))
    if whole["type"] == "comparison":
        whole["verdict"] = _verdict(whole)
    return whole


def _value(value: Any, kind: inspect.Type) -> Any:
    """A value of a type of today."""
    if isinstance(kind, inspect.UnionType) and value is not None:
        return _value(value, _chosen(value, kind))
    if isinstance(kind, inspect.StructType):
        return _struct(value, kind)
    if isinstance(kind, inspect.VarTupleType) and isinstance(value, list):
        return [_value(one, kind.item_type) for one in value]
    if isinstance(kind, inspect.DictType) and isinstance(value, dict):
        return {name: _value(one, kind.value_type) for name, one in value.items()}
    if isinstance(kind, inspect.EnumType) and isinstance(value, str):
        return _VALUES.get(value, value)
    return value


def _chosen(value: Any, union: inspect.UnionType) -> inspect.Type:
    """The structure of a union that a value is, by its tag; else the first that is not nothing."""
    structs = [kind for kind in union.types if isinstance(kind, inspect.StructType)]
    tag = value.get("type") if isinstance(value, dict) else None
    tag = _VALUES.get(tag, tag) if isinstance(tag, str) else None
    named = [kind for kind in structs if kind.tag == tag]
    others = [kind for kind in union.types if not isinstance(kind, inspect.NoneType)]
    return next(iter(named or others))


def _struct(value: Any, kind: inspect.StructType) -> Any:
    """A structure, by the names that its fields have today."""
    names = [field.name for field in kind.fields]
    named: Any = dict(zip(names, value, strict=False)) if isinstance(value, list) else value
    if not isinstance(named, dict):
        return value
    name = kind.cls.__name__
    former = _FIELDS.get(name, {})
    renamed: Any = {former.get(field, field): one for field, one in named.items()}
    renamed = _SPECIAL.get(name, _same)(renamed)
    types = {str(field.name): field.type for field in kind.fields}
    found: dict[str, Any] = {
        field: _value(one, types[field]) if field in types else one
        for field, one in renamed.items()
    }
    if kind.tag is not None and kind.tag_field is not None:
        found[kind.tag_field] = kind.tag
    return found


def _same(value: dict[str, Any]) -> dict[str, Any]:
    return value


def _document(value: dict[str, Any]) -> dict[str, Any]:
    return {**value, "format_version": 2}


def _of_step(value: dict[str, Any]) -> dict[str, Any]:
    return {**value, "before": None if value["before"] == -1 else value["before"]}


def _with_levels(value: dict[str, Any]) -> dict[str, Any]:
    return {**value, "levels": [level or None for level in value["levels"]]}


def _hotspot(value: dict[str, Any]) -> dict[str, Any]:
    return {**value, "level": value["level"] or None}


def _text(value: dict[str, Any]) -> dict[str, Any]:
    types = {_SEMANTIC.get(name, name): rows for name, rows in value["semantic_types"].items()}
    return {**value, "semantic_types": types}


def _origin(value: dict[str, Any]) -> dict[str, Any]:
    return {
        **value,
        "format": _FORMATS.get(value["format"], value["format"]),
        "notes": _notes(value["notes"]),
        "settings": _settings(value["settings"]),
    }


def _theme(value: dict[str, Any]) -> dict[str, Any]:
    return {**value, "notes": _notes(value.get("notes", []))}


def _notes(texts: list[str]) -> list[dict[str, Any]]:
    return [{"code": "as_written", "facts": {"text": text}} for text in texts]


def _settings(text: str) -> str:
    own = {_SETTINGS.get(name, name): value for name, value in tomllib.loads(text).items()}
    if isinstance(own.get("findings"), dict):
        own["findings"] = {CODES.get(c, c): limits for c, limits in own["findings"].items()}
    kinds = own.get("kinds", {})
    own |= {"kinds": {n: _VALUES.get(k, k) for n, k in kinds.items()}} if kinds else {}
    return tomli_w.dumps(own)


def _finding(value: dict[str, Any]) -> dict[str, Any]:
    """A finding with the sentences that it was written with: not all of its facts were kept."""
    words = [value.pop(part) for part in ("title", "sentence", "next_step")]
    facts = {_FACTS.get(name, name): fact for name, fact in value["evidence"].items()}
    labels = [None if label == _OTHERS else label for label in value["versions"]]
    code = CODES.get(value["code"], value["code"])
    return {**value, "code": code, "evidence": facts, "versions": labels, "wording": words}


def _stale(value: dict[str, Any]) -> dict[str, Any]:
    return {**value, "code": CODES.get(value["code"], value["code"])}


def _example(value: dict[str, Any]) -> dict[str, Any]:
    return {**value, "version": None if value["version"] == _OTHERS else value["version"]}


def _measure(value: dict[str, Any]) -> dict[str, Any]:
    return {**value, "name": "patterns" if value["name"] == "shapes" else value["name"]}


def _outcome_bin(value: dict[str, Any]) -> dict[str, Any]:
    """A bin with its label as a level; ``value`` holds the fields in the order of that format."""
    label = value["label"]
    if label in ("missing", "other"):
        return {**value, "type": label}
    return {**value, "type": "level", "level": label}


def _outcome_view(value: dict[str, Any]) -> dict[str, Any]:
    names = ("label", "rows", "value", "low", "high")
    bins = [dict(zip(names, one, strict=True)) for one in value["bins"]]
    return {**value, "bins": bins}


def _verdict(whole: dict[str, Any]) -> dict[str, Any]:
    """The verdict's counts, with what its sentences are made from today."""
    labels = [version["label"] for version in whole["versions"]]
    by = whole["grouped_by"] or whole["sliced_by"]
    scope = "slices" if whole["sliced_by"] else "versions" if len(labels) > 1 else "profile"
    counts = {name: whole["verdict"][name] for name in _COUNTS}
    return {
        **counts,
        "scope": "groups" if whole["grouped_by"] else scope,
        "labels": labels[-2:],
        "by": by,
        "columns": len(whole["columns"]),
    }


_COUNTS = ("act", "check", "note", "accepted", "steady")
_SPECIAL: dict[str, Callable[[dict[str, Any]], dict[str, Any]]] = {
    "ProfileDocument": _document,
    "ComparisonDocument": _document,
    "Transition": _of_step,
    "RowChanges": _of_step,
    "RelationChange": _of_step,
    "Measure": _measure,
    "MissingByLevel": _with_levels,
    "GroupStats": _with_levels,
    "MissingHotspot": _hotspot,
    "TextSummary": _text,
    "Origin": _origin,
    "Theme": _theme,
    "Finding": _finding,
    "StaleEntry": _stale,
    "ExampleRows": _example,
    "OutcomeView": _outcome_view,
    "OutcomeBin": _outcome_bin,
}
