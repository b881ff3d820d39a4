"""Parts on their own: frames that hold what pandas finds, figures that draw the same numbers."""

import subprocess
import sys

import matplotlib as mpl
import numpy as np
import pandas as pd
import polars as pl
import pyarrow as pa
import pytest
import scipy.stats
from matplotlib.figure import Figure

import nachsicht


@pytest.fixture(scope="module")
def frames(demo_files):
    return [pd.read_csv(demo_files[f"hive_checks_{year}.csv"]) for year in (2024, 2025)]


@pytest.fixture(scope="module")
def made(demo_files):
    paths = [demo_files[f"hive_checks_{year}.csv"] for year in (2024, 2025)]
    return nachsicht.compare(*paths, outcome="overwintered")


def test_the_summary_is_that_of_pandas(made, frames):
    table = made.summary.to_frame().set_index(["version", "column"])
    for label, frame in zip(("2024", "2025"), frames, strict=True):
        own = table.loc[label]
        assert list(own.index) == list(frame.columns)
        assert (own["missing"] == frame.isna().sum()).all()
        assert (own["distinct"] == frame.nunique()).all()
        for name in ("hive_weight", "mite_count"):
            for statistic, expected in (
                ("mean", frame[name].mean()),
                ("std", frame[name].std()),
                ("median", frame[name].median()),
            ):
                assert own.loc[name, statistic] == pytest.approx(expected, rel=1e-12)


def test_a_column_tells_its_statistics_values_quantiles_and_spread(made, frames):
    column = made.column("hive_weight")
    statistics = column.to_frame().set_index("statistic")
    for label, frame in zip(("2024", "2025"), frames, strict=True):
        values = frame["hive_weight"]
        assert statistics.loc["skewness", label] == pytest.approx(values.skew(), rel=1e-10)
        assert statistics.loc["missing", label] == values.isna().sum()
        own = column.quantiles().query("version == @label")
        expected = values.quantile(own["share"].to_numpy())
        assert own["value"].to_numpy() == pytest.approx(expected.to_numpy(), rel=1e-12)
    spread = column.distribution("polars")
    assert isinstance(spread, pl.DataFrame)
    assert spread["rows 2025"].sum() == frames[1]["hive_weight"].notna().sum()
    top = made.column("temper").top_values().query("version == '2025'")
    expected = frames[1]["temper"].value_counts(normalize=True)
    assert top.set_index("value")["share"].to_dict() == pytest.approx(expected.to_dict())
    assert made.column("inspector").name == "inspector_code"
    with pytest.raises(nachsicht.SettingsError, match="Did you mean hive_weight"):
        made.column("hive_wieght")


def test_results_answer_to_names_as_frames_do(frames):
    frame = frames[-1]
    page = nachsicht.profile(frame)
    assert page.columns == tuple(page) == tuple(frame)
    assert next(iter(frame)) in page
    assert "no such column" not in page
    for name in frame.select_dtypes("number"):
        assert page[name].mean == pytest.approx(frame[name].mean())
        assert page[name].missing == frame[name].isna().sum()
    with pytest.raises(AttributeError, match="median_of_means"):
        _ = page[next(iter(frame))].median_of_means


def test_relations_gaps_and_repeats_are_those_of_pandas(made, frames):
    pairs = made.relations.to_frame().query("version == '2025' and measure == 'spearman'")
    numbers = frames[1][["hive_weight", "brood_frames", "mite_count", "honey_kg"]]
    expected = numbers.corr("spearman")
    seen = 0
    for pair in pairs.itertuples():
        if pair.x in expected and pair.y in expected:
            assert pair.value == pytest.approx(expected.loc[pair.x, pair.y], abs=1e-10)
            seen += 1
    assert seen == 6
    matrix = made.relations.matrix().set_index("column")
    assert matrix.loc["hive_weight", "mite_count"] == pytest.approx(
        expected.loc["hive_weight", "mite_count"]
    )
    gaps = made.missing.to_frame().query("version == '2025'").set_index("column")
    missing = frames[1].isna().sum()
    assert gaps["missing"].to_dict() == missing[missing > 0].to_dict()
    assert made.missing.complete_rows[1] == len(frames[1].dropna())
    patterns = made.missing.patterns("arrow")
    assert isinstance(patterns, pa.Table)
    repeats = made.duplicates.to_frame().query("compared_in == 'all columns'")
    assert repeats["duplicate_rows"].tolist() == [frame.duplicated().sum() for frame in frames]
    assert made.duplicates.groups().query("version == '2025'")["rows"].max() == 2


def test_outcome_components_and_time_are_frames_too(made, frames):
    outcome = made.outcome.to_frame().query("version == '2025' and column == 'hive_type'")
    kept = frames[1].dropna(subset=["overwintered"])
    expected = kept.groupby("hive_type")["overwintered"].apply(lambda s: (s == "yes").mean())
    assert outcome.set_index("bin")["outcome"].to_dict() == pytest.approx(expected.to_dict())
    loadings = made.components.to_frame()
    assert (loadings.filter(like="component") ** 2).sum().to_numpy() == pytest.approx(1)
    time = made.time.to_frame().query("version == '2025' and column == 'mite_count'")
    by_month = frames[1].groupby(frames[1]["checked_on"].str[:7])["mite_count"].median()
    assert time.set_index("from")["median"].to_dict() == pytest.approx(by_month.to_dict())


def test_findings_are_a_tuple_and_a_table(made):
    assert made.findings == made.document.findings
    table = made.findings.to_frame()
    assert list(table["code"]) == [finding.code for finding in made.findings]
    assert "Looks rescaled" in repr(made.findings)
    assert "Looks rescaled" in made.findings._repr_html_()


def figures_of(made):
    weight, pairs = made.column("hive_weight"), made.document.versions[-1].pairs
    for way in ("bars", "density", "cumulative", "box", "normal", "top_values", "quantiles"):
        yield f"weight {way}", lambda ax, way=way: weight.figure(way, ax=ax)
    for name in ("hive_type", "mite_count", "checked_on", "note"):
        yield name, lambda ax, name=name: made.column(name).figure(ax=ax)
    yield "matrix", lambda ax: made.relations.figure(ax=ax)
    yield "difference", lambda ax: made.relations.figure(difference=True, ax=ax)
    for kind in {type(pair.view) for pair in pairs}:
        pair = next(pair for pair in pairs if isinstance(pair.view, kind))
        part = made.relations.pair(pair.x, pair.y)
        yield kind.__name__, lambda ax, part=part: part.figure(ax=ax)
    boxes = next(pair for pair in pairs if type(pair.view).__name__ == "BoxesView")
    part = made.relations.pair(boxes.x, boxes.y)
    yield "by level", lambda ax: part.figure("by_level", ax=ax)
    yield "gap patterns", lambda ax: made.missing.figure(ax=ax)
    yield "gap places", lambda ax: made.missing.figure("places", ax=ax)
    yield "repeats", lambda ax: made.duplicates.figure(ax=ax)
    for way in ("bars", "box", "normal"):
        yield f"{way} by", lambda ax, way=way: weight.figure(way, ax=ax, by="hive_type")
    yield "outcome", lambda ax: made.outcome.figure(ax=ax)
    yield "plane", lambda ax: made.components.figure(ax=ax)
    yield "time", lambda ax: made.time.figure("mite_count", ax=ax)
    yield "levels over time", lambda ax: made.time.figure("overwintered", ax=ax)


@pytest.mark.slow
def test_every_figure_is_drawn_alone_and_into_axes_and_nothing_global_is_touched(made):
    before = dict(mpl.rcParams)
    drawn = 0
    for name, draw in figures_of(made):
        alone = draw(None)
        assert isinstance(alone, Figure), name
        assert alone._repr_png_().startswith(b"\x89PNG"), name
        own = Figure()
        ax = own.add_subplot()
        assert draw(ax) is ax, name
        assert ax.has_data() or ax.texts, name
        own.canvas.draw()
        drawn += 1
    assert drawn > 20
    assert dict(mpl.rcParams) == before


def test_bars_are_the_counts_and_a_grid_its_rows(made, frames):
    axes = made.column("hive_type").figure().axes[0]
    new = axes.containers[1]
    levels = [text.get_text() for text in axes.get_yticklabels()]
    expected = frames[1]["hive_type"].value_counts(normalize=True)
    widths = {name: bar.get_width() for name, bar in zip(levels, new, strict=True)}
    assert widths == pytest.approx(expected.to_dict())
    stairs = made.column("hive_weight").figure().axes[0].patches[-1]
    heights = stairs.get_data().values
    assert heights.sum() == pytest.approx(1, abs=1e-9)
    mesh = made.relations.pair("brood_frames", "hive_weight").figure().axes[0].collections[0]
    counts = np.asarray(mesh.get_array().filled(0)) ** 2
    both = frames[1][["brood_frames", "hive_weight"]].dropna()
    assert 0.95 * len(both) <= counts.sum() <= len(both)


def test_a_quantity_by_level_is_drawn_from_the_values_of_each_level():
    rng = np.random.default_rng(3)
    frame = pd.DataFrame({"mites": rng.poisson(40, 900), "type": rng.choice(["box", "log"], 900)})
    frame["mites"] = frame["mites"].where(frame["mites"] < 55)
    mites = nachsicht.profile(frame).column("mites")
    (axes,) = mites.figure("normal", by="type").axes
    levels = [text.get_text() for text in axes.get_xticklabels()]
    assert levels == frame.dropna()["type"].value_counts().index.tolist()
    for middle, level, dots in zip(axes.get_xticks(), levels, axes.lines[::2], strict=True):
        own = frame.loc[frame["type"] == level, "mites"].dropna()
        scores, values = scipy.stats.probplot(own, fit=False)
        assert np.asarray(dots.get_xdata()) - middle == pytest.approx(scores, abs=1e-6)
        assert dots.get_ydata() == pytest.approx(values)
    boxes = mites.figure("box", by="type").axes[0]
    medians = [line.get_xdata()[0] for line in boxes.lines if line.get_linewidth() == 2]
    assert medians == frame.groupby("type")["mites"].median()[levels].tolist()


def test_a_figure_uses_no_pyplot_and_importing_us_loads_nothing_heavy():
    code = (
        "import sys, nachsicht, pyarrow as pa\n"
        "assert not {'matplotlib', 'pandas', 'scipy'} & set(sys.modules)\n"
        "made = nachsicht.profile(pa.table({'n': [1.5, 2.5, 9.0] * 30}))\n"
        "made.column('n').figure('density').savefig(__import__('io').BytesIO())\n"
        "assert 'matplotlib.pyplot' not in sys.modules\n"
    )
    command = [sys.executable, "-c", code]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr


def test_names_of_the_data_are_no_mathematics_in_a_figure():
    frame = pd.DataFrame({"$x^2$ \n{": ["$a_b$", "<b>", "<b>"] * 20, "n": np.arange(60.0)})
    made = nachsicht.profile(frame)
    figure = made.column("$x^2$ \n{").figure()
    figure.canvas.draw()
    assert figure.axes[0].get_yticklabels()[0].get_text() == "<b>"
    assert figure.axes[0].get_yticklabels()[1].get_text() == r"\$a_b\$"
    assert "&lt;b&gt;" in made.summary._repr_html_()


@pytest.mark.parametrize(
    ("call", "told"),
    [
        (lambda made: made.column("hive_type").figure("density"), "not a quantity"),
        (lambda made: made.column("hive_weight").figure("pie"), "Use bars"),
        (lambda made: made.column("mite_count").figure("density", by="hive_type"), "Use bars"),
        (lambda made: made.column("mite_count").figure("box", by="honey_kg"), "has no levels"),
        (lambda made: made.share_safe().column("mite_count").figure(by="temper"), "no drawn rows"),
        (lambda made: made.summary.to_frame("excel"), "Use pandas"),
        (lambda made: made.relations.pair("note", "check_id"), "was not drawn"),
        (lambda made: made.outcome.figure("nothing"), "no outcome by nothing"),
    ],
)
def test_what_cannot_be_had_is_said(made, call, told):
    with pytest.raises(nachsicht.NachsichtError, match=told):
        call(made)
