"""Files of statistical packages, written by pyreadstat: labels, and reasons for missing values."""

import datetime as dt

import numpy as np
import pandas as pd
import pytest

import nachsicht
from nachsicht.errors import SourceError
from nachsicht.model.kinds import Kind
from nachsicht.output.html.payload.stats_table import statistics_of
from nachsicht.sources.labelled.values import Missing, labelled_column

pyreadstat = pytest.importorskip("pyreadstat")

ROWS = 400
RNG = np.random.default_rng(8)
ANSWERS = {1.0: "yes", 2.0: "no", 8.0: "not asked", 9.0: "refused"}
OPINIONS = dict(enumerate(["never", "seldom", "sometimes", "often", "always"], start=1))
FRAME = pd.DataFrame(
    {
        "queen": RNG.choice([1.0, 2.0, 8.0, 9.0, np.nan], ROWS, p=[0.5, 0.3, 0.1, 0.06, 0.04]),
        "mites": RNG.choice([0.0, 1, 2, 3, 4, 5, 98, 99], ROWS),
        "feeds": RNG.integers(1, 6, ROWS).astype(float),
        "weight": RNG.normal(30, 4, ROWS),
        "apiary": RNG.choice(["Elm", "Oak", ""], ROWS),
        "day": [dt.date(2024, 5, 1) + dt.timedelta(days=i % 90) for i in range(ROWS)],
    }
)
LABELS = {"queen": "Was the queen seen?", "mites": "Mites a day"}
VALUES = {"queen": ANSWERS, "mites": {98: "not counted", 99: "refused"}, "feeds": OPINIONS}


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    folder = tmp_path_factory.mktemp("labelled")
    said = {"column_labels": LABELS, "variable_value_labels": VALUES}
    missing = {"queen": [8, 9], "mites": [{"lo": 90, "hi": 99}]}
    for name in ("checks.sav", "checks.zsav"):
        pyreadstat.write_sav(
            FRAME, folder / name, file_label="Hive checks", missing_ranges=missing,
            compress=name.endswith(".zsav"), **said,
        )  # fmt: skip
    letters = FRAME.astype({"queen": object})
    letters["queen"] = letters["queen"].replace({8.0: "a", 9.0: "b"})
    values = {**VALUES, "queen": {1: "yes", 2: "no", "a": "not asked", "b": "refused"}}
    pyreadstat.write_dta(
        letters, folder / "checks.dta", column_labels=LABELS, variable_value_labels=values,
        missing_user_values={"queen": ["a", "b"]},
    )  # fmt: skip
    pyreadstat.write_xport(FRAME, folder / "checks.xpt", column_labels=LABELS)
    pyreadstat.write_por(FRAME.drop(columns="day"), folder / "checks.por", column_labels=LABELS)
    return folder


def counted(levels):
    return {level.value: level.count for level in levels}


@pytest.mark.parametrize("name", ["checks.sav", "checks.zsav", "checks.dta"])
def test_values_are_told_by_their_labels(folder, name):
    document = nachsicht.profile(folder / name).document
    queen = document.column("queen")
    assert counted(queen.top_values) == {
        "yes": (FRAME.queen == 1).sum(),
        "no": (FRAME.queen == 2).sum(),
    }
    assert queen.missing == (~FRAME.queen.isin([1, 2])).sum()
    assert counted(queen.missing_reasons) == {
        "not asked": (FRAME.queen == 8).sum(),
        "refused": (FRAME.queen == 9).sum(),
    }
    feeds = document.column("feeds")
    assert feeds.kind is Kind.CATEGORY
    assert counted(feeds.top_values) == FRAME.feeds.map(OPINIONS).value_counts().to_dict()
    assert document.column("weight").stats.mean == pytest.approx(FRAME.weight.mean())
    assert document.column("apiary").missing == (FRAME.apiary == "").sum()
    day = document.column("day")
    assert (day.kind, day.first_value) == (Kind.DATETIME, "2024-05-01")
    assert {c.name: c.title for c in document.description.columns} == LABELS


def test_a_number_of_which_only_missing_ones_have_labels_stays_one(folder):
    mites = nachsicht.profile(folder / "checks.sav").document.column("mites")
    counted_ones = FRAME.mites[FRAME.mites < 90]
    assert mites.kind is Kind.QUANTITY
    assert (mites.stats.mean, mites.stats.all_integers) == (
        pytest.approx(counted_ones.mean()),
        True,
    )
    assert counted(mites.missing_reasons) == {
        "not counted": (FRAME.mites == 98).sum(),
        "refused": (FRAME.mites == 99).sum(),
    }


@pytest.mark.parametrize("name", ["checks.xpt", "checks.por"])
def test_files_without_labels_of_values_are_read(folder, name):
    document = nachsicht.profile(folder / name).document
    assert document.rows == ROWS
    columns = {column.name.lower(): column for column in document.columns}
    assert columns["weight"].stats.mean == pytest.approx(FRAME.weight.mean(), rel=1e-6)
    assert columns["queen"].missing == FRAME.queen.isna().sum()
    if name == "checks.xpt":  # the other format keeps none
        titles = {c.name.lower(): c.title for c in document.description.columns}
        assert titles == LABELS


def test_reasons_are_shown_but_not_shared(folder):
    made = nachsicht.profile(folder / "checks.sav")
    rows = {code: told for code, told, _ in statistics_of(made.document.column("queen"))}
    asked, refused = (FRAME.queen == 8).sum(), (FRAME.queen == 9).sum()
    assert rows["missing_reasons"] == f"not asked {asked} · refused {refused}"
    assert all(not c.missing_reasons for c in made.share_safe().document.columns)
    masked = nachsicht.profile(folder / "checks.sav", mask="queen").document
    assert not masked.column("queen").missing_reasons
    groups = nachsicht.compare_groups(folder / "checks.sav", "feeds").document
    assert not any(c.missing_reasons for version in groups.versions for c in version.columns)


def test_two_values_of_one_label_are_told_apart():
    found = labelled_column([1.0, 2.0, 3.0], {1.0: "old", 2.0: "old", 3.0: "new"}, Missing((), ()))
    assert found.array.to_pylist() == ["old (1)", "old (2)", "new"]
    assert found.array.type.ordered


@pytest.mark.parametrize("suffix", [".sav", ".por", ".dta", ".sas7bdat", ".xpt"])
def test_a_damaged_file_is_told_of_in_one_line(tmp_path, suffix):
    path = tmp_path / f"checks{suffix}"
    path.write_bytes(b"no such file at all" * 40)
    with pytest.raises(SourceError, match="damaged") as refused:
        _ = nachsicht.profile(path).document
    assert "\n" not in str(refused.value)
