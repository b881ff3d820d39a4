"""Remedies are run: what they mend is found no longer, with pandas and with Polars."""

import ast

import numpy as np
import pandas as pd
import polars as pl
import pytest

import nachsicht

RNG = np.random.default_rng(7)
N = 4000
WHEN = pd.Timestamp("2025-03-01") + pd.to_timedelta(
    RNG.integers(0, 200, N) * 1440 + RNG.integers(9 * 60, 17 * 60, N), "min"
)
FRAME = pd.DataFrame(
    {
        "w": np.round(RNG.gamma(9, 4, N) + 5, 2),
        "v": np.round(RNG.normal(200, 10, N), 2),
        "m": RNG.choice(["oak", "fir", "elm"], N, p=[0.5, 0.3, 0.2]),
        "at": WHEN,
        "on": (WHEN + pd.Timedelta(days=31)).normalize(),
        "said": [f"hive {i} calm and heavy" for i in RNG.integers(0, 900, N)],
    }
)
EUROPEAN = FRAME["w"].map("{:,.2f}".format).str.translate(str.maketrans(",.", ".,")) + " kg"
CHANGED = {
    "rescaled": FRAME.assign(w=(FRAME["w"] * 2.20462).round(2)),
    "shifted": FRAME.assign(w=FRAME["w"] + 20),
    "sign_flipped": FRAME.assign(w=-FRAME["w"]),
    "renamed": FRAME.rename(columns={"w": "w_kg"}),
    "swapped": FRAME.rename(columns={"w": "v", "v": "w"}),
    "sentinel_value_new": FRAME.assign(w=FRAME["w"].where(FRAME.index % 20 > 0, -999)),
    "infinite_values_new": FRAME.assign(w=FRAME["w"].where(FRAME.index % 20 > 0, np.inf)),
    "relabelled": FRAME.assign(m=FRAME["m"].map({"oak": "01", "fir": "02", "elm": "03"})),
    "respelled": FRAME.assign(m=FRAME["m"].mask(FRAME.index % 3 == 0, FRAME["m"].str.upper())),
    "new_duplicate_rows": pd.concat([FRAME, FRAME.iloc[:200]], ignore_index=True),
    "numbers_as_text": FRAME.assign(w=EUROPEAN),
    "dates_as_text": FRAME.assign(at=FRAME["at"].dt.strftime("%d.%m.%Y %H:%M")),
    "dates_shifted": FRAME.assign(at=FRAME["at"] + pd.Timedelta(days=45)),
    "timezone_shifted": FRAME.assign(at=FRAME["at"] - pd.Timedelta(hours=2)),
    "day_month_swapped": FRAME.assign(
        on=FRAME["on"].map(lambda t: t.replace(day=t.month, month=t.day) if t.day <= 12 else t)
    ),
}
ALONE = {
    "duplicate_rows": CHANGED["new_duplicate_rows"],
    "similar_levels": CHANGED["respelled"],
    "sentinel_value": CHANGED["sentinel_value_new"],
    "infinite_values": CHANGED["infinite_values_new"],
    "constant": FRAME.assign(w=1.5),
    "all_missing": FRAME.assign(w=np.nan),
    "stored_as_text": FRAME.assign(w=EUROPEAN),
    "skewed": FRAME.assign(w=np.exp(FRAME["w"] / 8).round(6)),
    "blank": FRAME.assign(said=FRAME["said"].mask(FRAME.index % 9 == 0, "  ")),
    "reimported_rows": pd.concat([FRAME, FRAME.iloc[:300]], ignore_index=True).assign(
        hive_id=lambda f: [f"H-{i:05d}" for i in range(len(f))]
    ),
}


def mended(result, frame, code, library):
    """The frame after the one step of the script that belongs to the code."""
    script = result.remedies(library)
    ast.parse(script)
    names = {"__name__": "mend"}
    exec(script, names)  # noqa: S102 (that is what it is written for)
    steps = [name for name in names["ON"] if name.split()[0] == code]
    assert steps
    names["ON"] = {name: name in steps for name in names["ON"]}
    given = frame.copy() if library == "pandas" else pl.from_pandas(frame)
    return names["mend"](given)


@pytest.mark.slow
@pytest.mark.parametrize("library", ["pandas", "polars"])
@pytest.mark.parametrize("code", CHANGED)
def test_a_change_that_was_mended_is_found_no_longer(code, library):
    found = nachsicht.compare(FRAME, CHANGED[code])
    assert code in [finding.code for finding in found.findings]
    after = nachsicht.compare(FRAME, mended(found, CHANGED[code], code, library))
    assert code not in [finding.code for finding in after.findings]
    worse = {f.code for f in after.findings} - {f.code for f in found.findings}
    assert worse <= {"dtype_changed", "values_changed", "missing_increased"}


#: A survey in which most rows equal another, and ways in which some of them came again.
ANSWERS = pd.DataFrame({name: RNG.integers(0, 9, 2000) for name in ("swarm", "queen", "honey")})
NUMBERED = ANSWERS.assign(number=np.arange(1, 2001))
AGAIN = {
    "consecutive": (ANSWERS, ANSWERS.loc[ANSWERS.index.repeat(1 + (np.arange(2000) % 9 == 0))]),
    "block": (ANSWERS, pd.concat([ANSWERS, ANSWERS[300:700]])),
    "renewed": (
        NUMBERED,
        pd.concat([NUMBERED, NUMBERED.tail(150).assign(number=np.arange(9001, 9151))]),
    ),
}


@pytest.mark.parametrize("library", ["pandas", "polars"])
@pytest.mark.parametrize("form", AGAIN)
def test_only_rows_that_came_again_are_taken_out_where_equal_rows_are_usual(form, library):
    old, new = (frame.reset_index(drop=True) for frame in AGAIN[form])
    found = nachsicht.compare(old, new)
    assert form in [f.form for f in found.findings if f.code == "new_duplicate_rows"]
    after = mended(found, new, "new_duplicate_rows", library)
    after = after if library == "pandas" else after.to_pandas()
    if form == "consecutive":  # of rows that were equal neighbours before, one is left as well
        old = old[(old != old.shift()).any(axis=1)].reset_index(drop=True)
    pd.testing.assert_frame_equal(after, old)


@pytest.mark.parametrize("library", ["pandas", "polars"])
@pytest.mark.parametrize("code", ALONE)
def test_what_was_mended_within_a_version_is_found_no_longer(code, library):
    found = nachsicht.profile(ALONE[code])
    after = nachsicht.profile(mended(found, ALONE[code], code, library))
    assert code in [finding.code for finding in found.findings]
    assert code not in [finding.code for finding in after.findings]


def test_rare_levels_and_indicators_are_there_for_those_who_want_them():
    levels = np.r_[["oak"] * 800, ["fir"] * 150, [f"rare {i}" for i in range(50)]]
    frame = pd.DataFrame({"wood": levels, "m": np.resize(["a", "b", "c"], 1000)})
    for library in ("pandas", "polars"):
        script = nachsicht.profile(frame).remedies(library)
        names = {"__name__": "mend"}
        exec(script, names)  # noqa: S102
        assert names["ON"]["rare levels wood"] is False
        names["ON"] = {name: name in ("rare levels wood", "indicators m") for name in names["ON"]}
        given = frame.copy() if library == "pandas" else pl.from_pandas(frame)
        after = names["mend"](given)
        assert sorted(set(after["wood"])) == ["fir", "oak", "other"]
        assert list(after["wood"]).count("other") == 50
        assert [sum(after[f"m_{level}"]) for level in "abc"] == [334, 333, 333]


def test_hostile_names_and_values_stay_literals_of_the_script():
    name = "a'] = 1\nraise SystemExit #\u2028"
    old = pd.DataFrame({name: RNG.choice(["calm", "wild"], 800)})
    new = old.replace("calm", "Calm'''\n\"\"\" raise")
    result = nachsicht.compare(old, new)
    after = mended(result, new, result.findings[0].code, "pandas")
    assert set(after[name]) == {"calm", "wild"}


def test_an_unknown_library_is_refused():
    with pytest.raises(nachsicht.SettingsError, match="pandas or polars"):
        nachsicht.profile(FRAME).remedies("numpy")
