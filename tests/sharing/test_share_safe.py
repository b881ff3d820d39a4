"""What is made safe to share tells of no row, no single value, and no group that is too small."""

import json
import re
import subprocess
import sys

import msgspec
import numpy as np
import pandas as pd
import pyarrow as pa
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import nachsicht
from nachsicht.model.column import CategorySummary, QuantitySummary
from nachsicht.model.comparison import (
    BinnedDistribution,
    LevelsDistribution,
    TimeDistribution,
    ValuesDistribution,
)
from nachsicht.stats.histogram import edges_of
from tests.output.test_page_data import data_of

K = 10
#: Each stands in one row, or in fewer rows than are told of, in a place of its own.
NAMES = {
    "inspector": "Ada Wachholder",
    "hive": "H-SOLEDAD",
    "note": "Marenholtz slipped and broke her wrist",
    "apiary": "Krähenhütte",
    "treatment": "quillaja",
}
NUMBERS = {"kg": 98765.4321, "mites": 771234, "temp": -41.8275}
DAY = "1931-02-17"
#: Quoted by what speaks of the data: lines that cannot be read, its description, its settings.
BESIDE = ["Bo Lindqvist", "Ida Querfurt", "Jon Askeland"]
SECRETS = [*NAMES.values(), *BESIDE, DAY, "1931-02", "17 February 1931"]
SECRETS += ["98765.4", "98,765", "98.8", "771234", "771,234", "-41.83", "-41.8275", "−41.8"]


def union(seed):
    """Checks of 400 hives, ten of which hold what nobody may see."""
    rng = np.random.default_rng(seed)
    n = 400
    frame = pd.DataFrame(
        {
            "hive": [f"H-{seed}{i:05d}" for i in range(n)],
            "inspector": rng.choice(["AB", "CD", "EF"], n),
            "apiary": rng.choice(["Dreilinden", "Mühlbach", "Seeblick"], n),
            "treatment": rng.choice(["none", "oxalic", "formic"], n, p=[0.6, 0.3, 0.1]),
            "checked": pd.Timestamp("2025-03-01") + pd.to_timedelta(rng.integers(0, 200, n), "D"),
            "kg": rng.normal(30 + 10 * seed, 4, n).round(4),
            "mites": rng.poisson(3, n),
            "temp": rng.normal(18, 3, n).round(4),
            "note": [f"Check number {i} went as it should on this day" for i in range(n)],
            "healthy": rng.choice(["yes", "no"], n, p=[0.8, 0.2]),
        }
    )
    for place, (name, secret) in enumerate({**NAMES, **NUMBERS}.items()):
        frame.loc[17 * (place + 1), name] = secret
    frame.loc[3:6, "inspector"] = NAMES["inspector"]
    frame.loc[55, "checked"] = pd.Timestamp(DAY)
    frame.loc[300:304, "temp"] = np.nan
    return pd.concat([frame, frame.iloc[[17, 34, 51]]], ignore_index=True)


@pytest.fixture(scope="module")
def folder(tmp_path_factory):
    folder = tmp_path_factory.mktemp("shared")
    for seed in (0, 1):
        text = union(seed).to_csv(index=False)
        lines = text.splitlines()
        lines.insert(200, f"H-9;{BESIDE[0]};broken".replace(";", ",") + "," * 12)
        (folder / f"{seed}.csv").write_text("\n".join(lines) + "\n")
    described = {
        "fields": [
            {"name": "inspector", "constraints": {"enum": ["AB", "CD", "EF", BESIDE[1]]}},
            {"name": "kg", "type": "number", "constraints": {"minimum": 0, "maximum": 90}},
        ]
    }
    (folder / "schema.json").write_text(json.dumps(described))
    return folder


def all_outputs(folder, *share):
    """Every text that a reader may get, of a profile and of a comparison by key."""
    found = []
    for name, sources in {"p": ["1.csv"], "c": ["0.csv", "1.csv", "--key", "hive"]}.items():
        outputs = [word for end in ("html", "json", "md") for word in ("-o", f"{name}.{end}")]
        command = ["profile" if name == "p" else "compare", *share, *sources, *outputs]
        command += ["--outcome", "healthy", "--na-value", BESIDE[2]]
        command += ["--description", "schema.json"]
        done = subprocess.run(
            [sys.executable, "-m", "nachsicht", *command],
            cwd=folder,
            capture_output=True,
            text=True,
            check=False,
        )
        assert done.returncode == 0, done.stderr
        made = nachsicht.read(folder / f"{name}.json")
        page = (folder / f"{name}.html").read_text()
        found += [done.stdout, done.stderr, page, json.dumps(data_of(page), ensure_ascii=False)]
        found += [(folder / f"{name}.{end}").read_text() for end in ("json", "md")]
        found += [made.remedies(), made.remedies("polars"), made.to_description().decode()]
        found += [str(made), made.to_html(), str(made.summary)]
        for column in made.summary.to_frame()["column"]:
            found += [str(made.column(column)), made.column(column).to_frame().to_csv()]
    return found


def quoted_in(texts):
    return {secret for secret in SECRETS if any(secret in text for text in texts)}


@pytest.mark.slow
def test_nothing_that_was_planted_is_to_be_read(folder):
    usual = quoted_in(all_outputs(folder))
    assert {*NAMES.values(), *BESIDE, DAY} <= usual  # without it they are
    assert {"98,765", "771,234"} & usual
    assert quoted_in(all_outputs(folder, "--share")) == set()


def test_the_document_says_that_it_is_share_safe_and_how_small_its_groups_are(folder):
    made = nachsicht.compare(folder / "0.csv", folder / "1.csv", share=12)
    again = nachsicht.read(made.write(folder / "twelve.json"))
    for each in (made, again, made.versions[0]):
        assert each.document.smallest_group == 12
    for text in (made.to_markdown(), str(again), data_of(again.to_html())["page"]["sharing"][0]):
        assert "fewer than 12 rows" in " ".join(text.split())
    assert "not differential privacy" in made.to_markdown()


def test_what_was_computed_can_be_shared_afterwards(folder):
    made = nachsicht.compare(folder / "0.csv", folder / "1.csv")
    at_once = nachsicht.compare(folder / "0.csv", folder / "1.csv", share=12).document
    afterwards = made.share_safe(12).document
    assert afterwards.columns == at_once.columns
    assert afterwards.findings == at_once.findings
    with pytest.raises(nachsicht.SettingsError, match="share"):
        made.share_safe(2)
    with pytest.raises(nachsicht.DocumentError, match="safe to share"):
        made.share_safe().share_safe()


def test_what_was_made_safe_is_not_compared(folder):
    shared = nachsicht.profile(folder / "0.csv", share=K)
    with pytest.raises(nachsicht.DocumentError, match="safe to share"):
        _ = nachsicht.compare(shared, folder / "1.csv").findings


def test_a_history_is_refused(folder, tmp_path):
    with pytest.raises(nachsicht.SettingsError, match="history"):
        nachsicht.History(tmp_path).record(folder / "0.csv", share=K)
    several = nachsicht.compare(*[union(seed) for seed in range(5)], share=K)
    assert "fewer than 10 rows" in several.to_markdown()
    with pytest.raises(nachsicht.SettingsError, match="history"):
        several.courses()


def test_what_is_known_is_drawn_and_all_else_refused(folder):
    made = nachsicht.compare(folder / "0.csv", folder / "1.csv", share=K)
    kg = made.column("kg")
    for way in ("bars", "cumulative", "quantiles"):
        assert kg.figure(way).axes[0].has_data()
    for way in ("density", "box", "normal"):
        with pytest.raises(nachsicht.SettingsError, match="kg"):
            kg.figure(way)


def test_findings_keep_their_titles_and_what_is_safe_of_their_sentences(folder):
    made = nachsicht.compare(folder / "0.csv", folder / "1.csv", share=K)
    titles = {finding.code: finding.title for finding in made.findings}
    assert titles.keys() >= {"distribution_shift"} or titles.keys() & {"shifted", "rescaled"}
    assert not {*titles} & {*titles.values()}  # no code stands for a title
    for finding in made.findings:
        assert "  " not in finding.sentence and not re.search(r"[;,] ?\.$", finding.sentence)


def test_groups_that_are_too_small_are_left_out():
    frame = union(0)
    shared = nachsicht.compare_groups(frame, by="inspector", share=K)
    labels = {version.label for version in shared.document.versions}
    assert labels == {"AB", "CD", "EF"}
    with pytest.raises(nachsicht.SettingsError, match="groups"):
        nachsicht.compare_groups(frame, by="inspector", groups=[NAMES["inspector"], "AB"], share=K)


#: Names of the fields that count rows.
COUNTS = {"rows", "missing", "unique_once", "count", "n_finite", "zeros", "negatives", "neg_inf"}
COUNTS |= {"pos_inf", "underflow", "overflow", "other_rows", "in_future", "at_epoch", "added"}
COUNTS |= {"at_midnight", "blank", "leading_space", "trailing_space", "duplicate_values", "empty"}
COUNTS |= {"duplicate_rows", "distinct_rows", "complete_rows", "removed", "changed", "unchanged"}
COUNTS |= {"malformed_lines", "padded_lines", "sampled_rows", "counts", "other_counts"}
COUNTS |= {"by_month", "by_weekday", "by_hour", "sole_missing", "semantic_types", "lt", "le"}


def counts_in(value, name=""):
    """All counts of rows in a document, with their names."""
    if isinstance(value, dict):
        for key, part in value.items():
            yield from counts_in(part, name if name in ("sole_missing", "semantic_types") else key)
    elif isinstance(value, list | tuple):
        for part in value:
            yield from counts_in(part, name)
    elif name in COUNTS and isinstance(value, int):
        yield name, value


rows_of_a_table = st.lists(
    st.tuples(
        st.one_of(st.none(), st.floats(-1e6, 1e6), st.sampled_from([0.0, 1.5, 2.0])),
        st.integers(0, 5),
        st.sampled_from(["none", "oxalic", "formic", "thymol", None]),
        st.integers(0, 900),
    ),
    max_size=120,
)


def table(rows):
    columns = [*zip(*rows, strict=True)] or [(), (), (), ()]
    days = np.array(columns[3], "int64").astype("datetime64[D]")
    return pa.table(
        {
            "kg": pa.array(columns[0], pa.float64()),
            "mites": pa.array(columns[1], pa.int64()),
            "treatment": pa.array(columns[2], pa.string()),
            "checked": pa.array(days),
        }
    )


KINDS = {"kg": "quantity", "mites": "quantity", "treatment": "category", "checked": "datetime"}


@pytest.mark.slow
@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(rows_of_a_table, rows_of_a_table, st.integers(3, 15))
def test_no_group_is_too_small(old, new, k):
    tables = table(old), table(new)
    document = nachsicht.compare(*tables, labels=["a", "b"], kinds=KINDS, share=k).document
    for name, count in counts_in(msgspec.to_builtins(document)):
        assert count == 0 or count == k - 1 or (count >= k and count % k == 0), name
    for data, version in zip(tables, document.versions, strict=True):
        for name in ("kg", "mites"):
            check_quantity(data[name].drop_null().to_numpy(), version.column(name).stats, k)
        detail = version.column("treatment").stats
        values = data["treatment"].to_pylist()
        if isinstance(detail, CategorySummary):
            assert all(values.count(level.value) >= k for level in detail.levels)
            hidden = [v for v in {*values} - {None} if values.count(v) < k]
            assert (detail.other_levels > 0) == bool(hidden)
    for column in document.columns:
        check_drawn(column.name, column.distribution, tables, k)


def check_quantity(values, detail, k):
    """Every bin that is drawn and every range that is told holds enough of the values."""
    if not isinstance(detail, QuantitySummary):
        return
    for point in detail.quantiles:
        held = (values >= point.value) & (values < point.up_to)
        assert held.sum() + (values == point.up_to).sum() * (point.value == point.up_to) >= k
    if detail.histogram:
        h = detail.histogram
        if detail.discrete:  # another grid would tell what its values do not
            assert sum(h.counts) == detail.ecdf.le[-1]
        assert h.counts[0] and h.counts[-1]  # where bins end would tell an extreme value
        edges = edges_of(h.first, h.first + len(h.counts) - 1, h.exponent, h.decimals)
        in_bins = (
            np.histogram(values, edges)[0]
            - np.eye(len(h.counts), dtype=int)[-1] * (values == edges[-1]).sum()
        )
        assert all(real >= k for real, told in zip(in_bins, h.counts, strict=True) if told)


def check_drawn(name, drawn, tables, k):
    """What is drawn of both versions on one axis holds enough of the rows of each."""
    if isinstance(drawn, BinnedDistribution | TimeDistribution):
        assert any(counts[0] for counts in drawn.counts)
        assert any(counts[-1] for counts in drawn.counts)
    for data, counts in zip(tables, drawn.counts if drawn else (), strict=drawn is not None):
        values = data[name].drop_null()
        if isinstance(drawn, LevelsDistribution):
            real = [values.to_pylist().count(level) for level in drawn.levels]
        elif isinstance(drawn, ValuesDistribution):
            real = [(values.to_numpy() == value).sum() for value in drawn.values]
        elif isinstance(drawn, TimeDistribution):
            letter = {"day": "D", "month": "M", "year": "Y"}[drawn.unit]
            places = values.to_numpy().astype(f"datetime64[{letter}]").astype(int) - drawn.first
            real = np.bincount(
                places[(places >= 0) & (places < len(counts))], minlength=len(counts)
            )
        elif isinstance(drawn, BinnedDistribution):
            # On a lattice of decimals values are whole multiples of the step; else edges are exact.
            unit = drawn.step or 1.0
            whole = np.rint if drawn.step else np.asarray
            start, width = whole(drawn.start / unit), whole(drawn.width / unit)
            edges = start + width * np.arange(len(counts) + 1)
            places = np.searchsorted(edges, whole(values.to_numpy() / unit), "right") - 1
            real = [(places == i).sum() for i in range(len(counts))]
        assert all(true >= k for true, told in zip(real, counts, strict=True) if told)
