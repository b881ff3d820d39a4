"""Rows are drawn evenly, whatever stands in them: few different rows, many, and sorted ones."""

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

import nachsicht
from nachsicht.model.outcome import bin_label
from nachsicht.sketches.row_sample import SIZE, drawn_rows, sample_rows

ROWS = 60_000


def survey(different, rows=ROWS, seed=11):
    """A table of so many different rows with a flag, five levels and twelve months."""
    rng = np.random.default_rng(seed)
    patterns = {
        "treated": rng.random(different) < 0.55,
        "yard": rng.choice(["Hill", "Ford", "Mill", "Moor", "Wood"], different),
        "month": rng.integers(0, 12, different),
        "mites": rng.integers(0, 9, different),
    }
    picks = rng.integers(0, different, rows)
    own = {name: values[picks] for name, values in patterns.items()}
    month = np.datetime64("2025-01", "M") + own.pop("month")
    return pa.table(own | {"checked": month.astype("datetime64[D]")})


TABLES = {"3": survey(3), "250": survey(250), "all": survey(ROWS)}
WAYS = {"in memory": {}, "in pieces": {"memory_bytes": 500_000}}


@pytest.mark.parametrize("way", WAYS.values(), ids=WAYS)
@pytest.mark.parametrize("table", TABLES.values(), ids=TABLES)
def test_the_outcome_and_the_course_over_time_are_near_the_truth(table, way):
    document = nachsicht.profile(table, outcome="treated", time_column="checked", **way).document
    frame = table.to_pandas()
    outcome = document.outcome
    assert outcome.rows == SIZE
    off = 4 * np.sqrt(0.25 / SIZE)
    assert outcome.overall == pytest.approx(frame["treated"].mean(), abs=off)
    views = {view.column: view for view in outcome.views}
    for name in views.keys() & {"yard", "mites"}:
        expected = frame.groupby(frame[name].astype(str))["treated"].mean()
        found = {bin_label(b): b for b in views[name].bins}
        assert found.keys() == set(expected.index)  # every level is there
        for label, share in expected.items():
            own = found[label]
            assert own.value == pytest.approx(share, abs=4 * np.sqrt(0.25 / own.rows))
    months = frame["checked"].astype("datetime64[s]").dt.to_period("M")
    for view in (document.over_time.views if document.over_time else {}).values():
        drawn = [n for n in view.rows if n]
        assert len(drawn) == months.nunique()
        shares = months.value_counts(normalize=True).sort_index().to_numpy()
        assert np.array(drawn) / SIZE == pytest.approx(shares, abs=off)


def test_the_page_says_that_rows_were_drawn(page_data):
    page = nachsicht.profile(TABLES["3"], outcome="treated", time_column="checked")
    assert len(page.document.excerpt.sampled) == 10
    data = page_data(page.to_html())
    assert "among 10,000 evenly sampled rows" in data["outcome"]["sentence"]
    assert "from 10,000 evenly sampled rows" in data["time"]["among"]


@given(
    different=st.sampled_from((1, 2, 5, 40)),
    rows=st.integers(SIZE + 1, 4 * SIZE),
    seed=st.integers(0, 2**32 - 1),
    in_order=st.booleans(),
)
def test_every_level_is_drawn_as_often_as_its_share_says(different, rows, seed, in_order):
    rng = np.random.default_rng(seed)
    codes = rng.choice(different, rows, p=rng.dirichlet(np.full(different, 0.7)))
    codes = np.sort(codes) if in_order else codes
    share = np.bincount(codes, minlength=different) / rows
    drawn = np.bincount(codes[drawn_rows(rows)], minlength=different) / SIZE
    error = np.sqrt(share * (1 - share) / SIZE)
    assert (np.abs(drawn - share) <= 5 * error + 3 / SIZE).all()


@given(cuts=st.lists(st.integers(0, 25_000), max_size=6), rows=st.integers(0, 25_000))
def test_every_split_draws_the_same_rows_in_the_same_order(cuts, rows):
    table = pa.table({"number": np.arange(rows)})
    ends = sorted({0, rows, *(cut for cut in cuts if cut < rows)})
    first, *others = [
        sample_rows(table.slice(a, b - a), a) for a, b in zip(ends, ends[1:] or [0], strict=False)
    ]
    for other in others:
        first = first.merge(other)
    numbers = first.rows["number"].to_numpy()
    assert (np.diff(numbers) > 0).all()
    assert numbers[first.order].tolist() == drawn_rows(rows).tolist()
    assert len(numbers) == min(rows, SIZE)
