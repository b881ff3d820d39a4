"""Changes of how values are written, and the rows that show a change."""

import numpy as np
import pandas as pd
import pytest

import nachsicht

RNG = np.random.default_rng(8)
N = 400
CODES = [f"{code:05d}" for code in RNG.permutation(99_999)[:N]]
OLD = pd.DataFrame({"box": CODES, "honey": RNG.gamma(4, 5, N).round(1)})


def written(folder, frame, name):
    frame.to_csv(folder / name, index=False)
    return folder / name


def test_zeros_in_front_that_are_gone_are_one_finding_and_the_rows_match_still(tmp_path):
    stripped = OLD.assign(box=OLD.box.astype(int))
    paths = [written(tmp_path, OLD, "old.csv"), written(tmp_path, stripped, "new.csv")]
    made = nachsicht.compare(*paths, key="box")
    (finding,) = made.findings
    assert (finding.code, finding.form, finding.columns) == (
        "format_changed",
        "zeros_lost",
        ("box",),
    )
    assert finding.evidence["rows"] == OLD.box.str.startswith("0").sum()
    assert made.document.rows[0].unchanged == N
    shown = next(rows for rows in finding.example_rows if rows.version == "old")
    place = shown.columns.index("box")
    assert all(row.cells[place].startswith("0") for row in shown.rows)
    (back,) = nachsicht.compare(*paths[::-1], key="box").findings
    assert back.form == "zeros_added"


def test_codes_of_which_none_begins_with_a_zero_lose_nothing(tmp_path):
    old = OLD.assign(box=[f"{i:05d}" for i in RNG.permutation(89_999)[:N] + 10_000])
    paths = [written(tmp_path, old, "old.csv"), written(tmp_path, old[5:], "new.csv")]
    assert nachsicht.compare(*paths, key="box").findings == ()


def test_whole_numbers_beyond_64_bits_stay_apart(tmp_path):
    numbers = [str(10**25 + int(i)) for i in RNG.permutation(10_000)[:N]]
    made = nachsicht.profile(written(tmp_path, OLD.assign(number=numbers), "big.csv"))
    column = made.document.column("number")
    assert (column.distinct, column.kind) == (N, "identifier")
    assert {level.value for level in column.top_values} <= set(numbers)


def test_a_change_of_unit_is_told_by_the_units():
    old, new = (OLD.assign(honey=[f"{kg} {unit}" for kg in OLD.honey]) for unit in ("kg", "lb"))
    (finding,) = nachsicht.compare(old, new, key="box").findings
    assert (finding.code, finding.form) == ("format_changed", "unit")
    assert {"kg", "lb"} <= set(finding.evidence.values())


@pytest.mark.parametrize("order", [slice(None), slice(None, None, -1)])
def test_example_rows_show_the_cells_that_changed(order):
    new = OLD.copy()
    new.loc[250:, "honey"] = OLD.honey[250:].sample(frac=1, random_state=3).to_numpy()
    made = nachsicht.compare(OLD, new[order], key="box", labels=["old", "new"])
    finding = next(f for f in made.findings if f.code == "values_changed")
    before, after = finding.example_rows
    assert before.columns == after.columns
    assert len(before.rows) == len(after.rows) > 0
    at = before.columns.index("honey"), before.columns.index("box")
    for one, other in zip(before.rows, after.rows, strict=True):
        assert one.cells[at[1]] == other.cells[at[1]]
        assert one.cells[at[0]] != other.cells[at[0]]
        assert one.cells[at[1]] == OLD.box[one.row - 1]


def test_lines_that_could_not_be_read_are_told_of_the_newer_version(tmp_path):
    paths = [written(tmp_path, OLD, f"{name}.csv") for name in ("old", "new")]
    lines = paths[1].read_text().splitlines()
    paths[1].write_text("\n".join([*lines[:90], "a,b,c,d", *lines[90:], "e,f,g"]))
    (finding,) = nachsicht.compare(*paths, key="box").findings
    assert (finding.code, finding.severity) == ("malformed_lines", "check")
    assert finding.title == "2 lines of new could not be read"
    assert nachsicht.compare(*paths[::-1], key="box").findings == ()


@pytest.mark.parametrize("quote", ["", '"'])
def test_decimals_that_only_the_file_has_are_told_by_name(quote, tmp_path):
    rng = np.random.default_rng(4)
    paths = []
    for name, form in (("old", "{}"), ("new", "{}.00")):
        rows = [
            f"{quote}{form.format(k)}{quote},{w:.1f}"
            for k, w in zip(range(300), rng.normal(9, 1, 300), strict=True)
        ]
        paths.append(tmp_path / f"{name}.csv")
        paths[-1].write_text("\n".join(["honey,weight", *rows]))
    (finding,) = [f for f in nachsicht.compare(*paths).findings if f.columns == ("honey",)]
    assert (finding.code, finding.form, finding.severity) == ("format_changed", "decimals", "note")
    assert (finding.evidence["old_decimals"], finding.evidence["new_decimals"]) == (0, 2)
    assert nachsicht.compare(paths[0], paths[0]).findings == ()


def test_omitted_columns_are_not_named_by_how_they_are_written(tmp_path):
    path = tmp_path / "x.csv"
    path.write_text("\n".join(["honey,secret", *(f"{k},{k}.5" for k in range(50))]))
    document = nachsicht.profile(path, omit=("secret",)).document
    assert document.origin.decimals_written == {"honey": 0}
