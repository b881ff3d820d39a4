"""Every code that a finding can have: made once, and read on every output."""

import json
import re
from html import unescape

import numpy as np
import pandas as pd
import pytest

import nachsicht
from nachsicht.findings import locate
from nachsicht.findings.registry import FINDINGS

N = 1200
WORDS = ["bees", "hive", "honey", "frame", "queen", "smoke", "mites", "swarm", "box"]


def checks(n=N, seed=1):
    """Checks of hives, in which nothing is odd."""
    rng = np.random.default_rng(seed)
    note = [" ".join(rng.choice(WORDS, rng.integers(4, 9))) for _ in range(n)]
    weight = np.round(rng.normal(40, 6, n), 2)
    return pd.DataFrame(
        {
            "check": [f"C-{i:05d}" for i in rng.permutation(90_000)[:n]],
            "at": pd.Timestamp("2024-03-01")
            + pd.to_timedelta(rng.integers(0, 183, n) * 1440 + rng.integers(480, 1080, n), "min"),
            "weight": weight,
            "gain": np.round(weight / 9 + rng.normal(0, 1.2, n), 3),
            "temper": rng.choice(["calm", "wary", "wild", "nervous"], n, p=[0.4, 0.3, 0.2, 0.1]),
            "note": note,
        }
    )


def put(frame, name, value, share=0.1, seed=2):
    """The frame with a value, or a function of the cells, in a share of a column."""
    cells = frame[name].astype(object) if isinstance(value, str) else frame[name].copy()
    rows = np.random.default_rng(seed).random(len(frame)) < share
    cells[rows] = value(cells[rows]) if callable(value) else value
    return frame.assign(**{name: cells})


def numbers(values):
    return lambda f: f.assign(weight=values(f.weight, np.random.default_rng(3)))


WITHIN = {
    "duplicate_rows": lambda f: pd.concat([f, f[:40]]),
    "reimported_rows": lambda f: pd.concat(
        [f, f[:200].assign(check=[f"C-9{i:05d}" for i in range(200)])]
    ),
    "identifier_repeats": lambda f: f.assign(check=[*f.check[:-3], *f.check[:3]]),
    "sentinel_value": lambda f: put(f, "weight", -999.0, 0.03),
    "similar_levels": lambda f: put(f, "temper", lambda c: c.str.upper(), 0.2),
    "garbled_text": lambda f: put(f, "note", "MÃ¼hle am Bach", 0.05),
    "mixed_types": lambda f: put(f.assign(weight=f.weight.astype(str)), "weight", "about forty"),
    "all_missing": lambda f: f.assign(weight=np.nan),
    "missing_values": lambda f: put(f, "weight", np.nan, 0.3),
    "missing_together": lambda f: put(put(f, "weight", np.nan), "gain", np.nan),
    "infinite_values": lambda f: put(f, "weight", np.inf, 0.01),
    "future_dates": lambda f: put(f, "at", pd.Timestamp("2100-01-01"), 0.01),
    "leakage": lambda f: f.assign(late=f.weight * 2),
    "collinear": lambda f: f.assign(weight_lb=f.weight * 2.2),
    "constant": lambda f: f.assign(temper="calm"),
    "nearly_constant": lambda f: f.assign(temper=["wild", *["calm"] * (len(f) - 1)]),
    "imbalance": lambda f: f.assign(temper=np.where(np.arange(len(f)) % 20, "calm", "wild")),
    "stored_as_text": lambda f: f.assign(weight=f.weight.map("{:.2f} kg".format)),
    "skewed": numbers(lambda w, rng: rng.lognormal(0, 2, len(w))),
    "zeros": lambda f: put(f, "weight", 0, 0.5),
    "outliers": lambda f: put(f, "weight", lambda c: c * 9, 0.004),
    "blank": lambda f: put(f, "note", "   "),
}


def shuffled(f, name):
    return f.assign(**{name: f[name].sample(frac=1, random_state=1).to_numpy()})


BETWEEN = {
    "rows_lost": lambda f: f[f.temper != "wild"],
    "period_missing": lambda f: f[(f["at"] < "2024-05-10") | (f["at"] > "2024-06-05")],
    "new_duplicate_rows": lambda f: pd.concat([f, f[:60]]),
    "key_not_unique": lambda f: pd.concat([f, f[:9].assign(gain=0.1)]),
    "new_duplicate_ids": lambda f: f.assign(check=[*f.check[:-80], *f.check[:80]]),
    "named_column_lost": lambda f: f.drop(columns="gain"),
    "renamed": lambda f: f.rename(columns={"weight": "hive_weight"}),
    "removed": lambda f: f.drop(columns="weight"),
    "added": lambda f: f.assign(box=np.arange(len(f)) % 7 * 1.5),
    "reordered": lambda f: f[["weight", *f.columns.drop("weight")]],
    "swapped": lambda f: f.assign(weight=f.gain, gain=f.weight),
    "retyped": lambda f: f.assign(weight=f["at"].to_numpy()),
    "numbers_as_text": lambda f: f.assign(weight=f.weight.map("{:.2f} kg".format)),
    "dates_as_text": lambda f: f.assign(at=f["at"].dt.strftime("%d.%m.%Y %H:%M")),
    "format_changed": lambda f: [
        f.assign(weight=f.weight.map(form.format)) for form in ("{} kg", "{} lb")
    ],
    "dtype_changed": lambda f: [
        f.assign(check=(f.index + 7000).astype(kind)) for kind in (int, str)
    ],
    "became_constant": lambda f: f.assign(temper="calm"),
    "sentinel_value_new": lambda f: put(f, "weight", -999.0, 0.05),
    "infinite_values_new": lambda f: put(f, "weight", np.inf, 0.01),
    "out_of_range": lambda f: put(f, "weight", lambda c: -c, 0.004),
    "value_spike": lambda f: put(f, "weight", 41.37, 0.15),
    "missing_imputed": lambda f: [gap := put(f, "weight", np.nan), gap.fillna({"weight": 39.71})],
    "rescaled": lambda f: f.assign(weight=f.weight * 2.20462),
    "shifted": lambda f: f.assign(weight=f.weight + 12),
    "sign_flipped": lambda f: f.assign(weight=-f.weight),
    "clipped": lambda f: f.assign(weight=f.weight.clip(upper=44)),
    "rounded": lambda f: f.assign(weight=f.weight.round()),
    "heaped": lambda f: put(f, "weight", lambda c: (c / 5).round() * 5, 0.4),
    "text_truncated": lambda f: f.assign(note=f.note.str[:24]),
    "garbled_text_new": lambda f: put(f, "note", "MÃ¼hle am Bach", 0.05),
    "dates_shifted": lambda f: f.assign(at=f["at"] + pd.Timedelta(40, "D")),
    "timezone_shifted": lambda f: f.assign(at=f["at"] + pd.Timedelta(2, "h")),
    "day_month_swapped": lambda f: f.assign(
        at=[t.replace(day=t.month, month=t.day) if t.day < 13 else t for t in f["at"]]
    ),
    "time_of_day_lost": lambda f: f.assign(at=f["at"].dt.normalize()),
    "relabelled": lambda f: f.assign(temper=f.temper.replace({"calm": "T1", "wary": "T2"})),
    "respelled": lambda f: put(f, "temper", lambda c: c.str.upper(), 0.2),
    "new_levels": lambda f: put(f, "temper", "sleepy", 0.1),
    "missing_levels": lambda f: f.assign(temper=f.temper.replace("wild", "wary")),
    "missing_increased": lambda f: put(f, "weight", np.nan, 0.2),
    "missing_decreased": lambda f: [put(f, "weight", np.nan), f],
    "distribution_shift": lambda f: put(f, "weight", lambda c: c * 0.5 + 26, 0.5),
    "category_shift": lambda f: put(f, "temper", "wild", 0.3),
    "length_shift": lambda f: put(f, "note", lambda c: c + " and more was seen there", 0.5),
    "pattern_shift": lambda f: put(f, "check", lambda c: "X" + c.str[1:] + "-z", 0.3),
    "dates_redistributed": lambda f: put(f, "at", lambda c: c - (c - c.min()) / 3, 0.5),
    "values_changed": lambda f: put(f, "weight", lambda c: c[::-1].to_numpy()),
    "gradual_drift": lambda f: [
        (g := checks(seed=seed)).assign(weight=g.weight + 0.4 * seed) for seed in range(6)
    ],
    "leakage_new": lambda f: f.assign(gain=f.weight * 2),
    "association_lost": lambda f: shuffled(f, "gain"),
    "association_new": lambda f: [shuffled(f, "gain"), checks()],
    "association_reversed": lambda f: f.eval("gain = 9 - gain"),
}
#: What is found in the same rows only; of others the newer version has other checks.
SAME_ROWS = {
    *("new_duplicate_rows", "key_not_unique", "new_duplicate_ids", "reordered", "values_changed"),
    *("missing_imputed", "rows_lost", "period_missing", "retyped"),
}
SETTINGS = {
    "leakage": {"outcome": "weight"},
    "leakage_new": {"outcome": "weight"},
    "named_column_lost": {"outcome": "gain"},
    "key_not_unique": {"key": "check"},
}
SCHEMAS = {
    "schema_violation": {"name": "weight", "type": "number", "constraints": {"maximum": 40}},
    "schema_missing_columns": {"name": "box", "type": "number"},
    "undocumented_columns": {"name": "weight", "type": "number"},
}


def made(code, folder):
    """A result in which a code is found."""
    data, settings = checks(), SETTINGS.get(code, {})
    if code in BETWEEN:
        found = BETWEEN[code](data if code in SAME_ROWS else checks(seed=8))
        return nachsicht.compare(*found if isinstance(found, list) else (data, found), **settings)
    if code in SCHEMAS:
        described = folder / "schema.json"
        described.write_text(json.dumps({"fields": [SCHEMAS[code]]}))
        settings = {"reading": {"description": str(described)}}
    elif code == "malformed_lines":
        data = folder / "checks.csv"
        data.write_text("a,b\n" + "1.5,2\n" * 60 + "1,2,3,4\n" + "2.5,3\n" * 60)
    else:
        data = WITHIN[code](data)
    return nachsicht.profile(data, **settings)


def words(text):
    return " ".join(re.sub(r"[^\w%]+", " ", unescape(text)).split())


@pytest.mark.slow
@pytest.mark.parametrize("code", FINDINGS)
def test_every_code_is_found_and_read_on_every_output(code, tmp_path):
    result = made(code, tmp_path)
    finding = next((f for f in result.findings if f.code == code), None)
    assert finding, [f.code for f in result.findings]
    assert code in {told["code"] for told in json.loads(result.to_json())["findings"]}
    entry = FINDINGS[code]
    assert (
        finding.example_rows
        or locate.NONE in (entry.rows, entry.rows_before)
        or not finding.columns
    )
    title = words(finding.title)
    for output in (str(result), result.to_markdown(), result.to_html()):
        assert title in words(output)
