"""A history: versions are added to a folder whole, in order, and read back as they were."""

import json
import random
import re
import subprocess
import sys
import time
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

import nachsicht
from nachsicht.pipeline.moment import moment_of

MONDAY = date(2025, 1, 6)


def readings(seed, rows=400):
    rng = np.random.default_rng(seed)
    return pd.DataFrame(
        {
            "scale": rng.choice(["Kleehof", "Moorblick"], rows),
            "weight": rng.normal(40, 5, rows).round(1),
            "battery": rng.normal(3.7, 0.1, rows).round(2),
        }
    )


@pytest.fixture(scope="module")
def weeks(tmp_path_factory):
    """Three weeks, of which the last was recorded first."""
    folder = tmp_path_factory.mktemp("weeks")
    history = nachsicht.History(folder)
    for week in (22, 20, 21):
        history.record(readings(week), label=f"scales 2025-W{week}")
    return history


def test_versions_are_in_the_order_of_their_moments(weeks):
    assert [v.label[-2:] for v in weeks] == ["20", "21", "22"]
    assert [v.number for v in weeks] == [2, 3, 1]
    assert [v.moment[:10] for v in weeks] == ["2025-05-12", "2025-05-19", "2025-05-26"]
    assert {v.moment_source for v in weeks} == {"name"}


def test_profiles_are_those_that_were_computed(weeks):
    for week, kept in zip((20, 21, 22), weeks.profiles(), strict=True):
        fresh = nachsicht.profile(readings(week), label=f"scales 2025-W{week}")
        assert kept.document.columns == fresh.document.columns
        assert kept.document.relations == fresh.document.relations


def test_two_versions_give_what_their_comparison_gives(weeks):
    new = readings(23).assign(weight=lambda f: f.weight * 2.20462)
    ours = weeks.compare(new, label="june", last=1)
    theirs = nachsicht.compare(
        weeks.profiles(last=1)[0], new, labels=[weeks.versions[-1].label, "june"]
    )
    assert ours.document.findings == theirs.document.findings
    assert "rescaled" in [finding.code for finding in ours.findings]
    assert weeks.compare(new).document.versions[0].label == "scales 2025-W20"


def test_the_frame_has_a_row_for_every_column_of_every_version(weeks):
    frame = weeks.to_frame()
    assert len(frame) == 9
    for week in (20, 21, 22):
        mean = frame.query(
            "column == 'weight' and version.str.endswith(@week)", local_dict={"week": str(week)}
        )
        assert mean["mean"].item() == pytest.approx(readings(week).weight.mean())
    assert frame["moment"].is_monotonic_increasing


@pytest.mark.slow
def test_what_is_accepted_once_stays_accepted_as_the_history_goes_on(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    history = nachsicht.History("scales")

    def record(weeks):
        for week in weeks:
            heavier = readings(week).assign(weight=lambda f, w=week: f.weight + 25 * (w >= 8))
            history.record(heavier, label=f"w{week:02d}", moment=MONDAY + timedelta(weeks=week))

    record(range(12))
    assert "one thing needs action" in history.courses().verdict
    done = command("accept", "scales", "jump", "weight", "--reason", "new scales")
    assert done.returncode == 0, done.stderr
    record(range(12, 16))
    report = history.courses()
    assert [event.accepted for event in report.found.happened] == ["new scales"]
    assert "action" not in report.verdict
    assert "(accepted: new scales)" in report.to_markdown()
    assert (
        command("compare", "--against", "scales", "--stop-on", "act", written(15)).returncode == 0
    )
    wrong = command("accept", "scales", "jump", "weight", "--from", "w03", "--reason", "none")
    assert wrong.returncode == 2
    assert "jump weight --from w08" in wrong.stderr


def test_of_several_that_fit_the_latest_is_accepted(tmp_path, monkeypatch):
    monkeypatch.chdir(tmp_path)
    history = nachsicht.History("scales")
    for week in range(24):
        heavier = readings(week).assign(
            weight=lambda f, w=week: f.weight + 25 * (w >= 8) + 40 * (w >= 16)
        )
        history.record(heavier, label=f"w{week:02d}", moment=MONDAY + timedelta(weeks=week))
    done = command("accept", "scales", "jump", "weight", "--reason", "new scales")
    assert done.returncode == 0, done.stderr
    accepted = {event.first: event.accepted for event in history.courses().found.happened}
    assert accepted == {"w08": None, "w16": "new scales"}


def written(week):
    path = Path("new.csv")
    readings(week).assign(weight=lambda f: f.weight + 25).to_csv(path, index=False)
    return path


def test_without_a_date_in_its_name_a_version_is_of_the_last_date_in_its_data(tmp_path):
    history = nachsicht.History(tmp_path)
    for name, start in (("second", "2025-06-01"), ("first", "2025-05-01")):
        days = pd.date_range(start, periods=30)
        history.record(pd.DataFrame({"day": days, "weight": range(30)}), label=name)
    assert [(v.label, v.moment[:10], v.moment_source) for v in history] == [
        ("first", "2025-05-30", "data"),
        ("second", "2025-06-30", "data"),
    ]


def test_a_label_is_recorded_once_and_this_is_said_before_anything_is_read(weeks):
    with pytest.raises(nachsicht.SettingsError, match="W20 is recorded already"):
        weeks.record("not_there.csv", label="scales 2025-W20")
    with pytest.raises(nachsicht.SettingsError, match="next week is not a date"):
        weeks.record("not_there.csv", label="later", moment="next week")


def test_a_document_that_was_changed_is_refused_and_hinders_no_new_version(tmp_path):
    history = nachsicht.History(tmp_path / "scales")
    history.record(readings(1), label="may")
    history.record(readings(2), label="june")
    path = tmp_path / "scales" / history.versions[0].document
    path.write_bytes(path.read_bytes()[:-9])
    history.record(readings(3), label="july")
    with pytest.raises(nachsicht.DocumentError, match="may was changed after it was recorded"):
        history.profiles()
    path.unlink()
    with pytest.raises(nachsicht.DocumentError, match=path.name):
        history.compare()
    assert len(history.profiles(last=2)) == 2


@pytest.mark.parametrize(
    "index",
    [
        b"{",
        b'{"type": "history", "format_version": 99, "versions": []}',
        b'{"type": "profile"}',
        json.dumps(
            {
                "type": "history",
                "format_version": 1,
                "versions": [
                    {
                        "number": 1,
                        "label": "may",
                        "moment": "2025-05-01T00:00:00",
                        "moment_source": "given",
                        "rows": 3,
                        "document": "../elsewhere.json.gz",
                        "sha256": "0",
                    }
                ],
            }
        ).encode(),
    ],
)
def test_an_index_that_is_damaged_newer_or_points_elsewhere_is_refused(index, tmp_path):
    (tmp_path / "history.json").write_bytes(index)
    history = nachsicht.History(tmp_path)
    with pytest.raises(nachsicht.DocumentError, match=r"history\.json"):
        history.record(readings(1), label="june")
    with pytest.raises(nachsicht.DocumentError):
        history.profiles()


@given(
    st.datetimes(datetime(1950, 1, 1), datetime(2090, 1, 1)),
    st.sampled_from(["%Y-%m-%d", "%Y%m%d", "%Y_%m_%d", "%Y-%m-%dT%H%M%S", "%Y%m%d_%H%M", "%G-W%V"]),
    st.sampled_from(["", "scales_", "hive scales v2 ", "a-"]),
    st.sampled_from(["", ".csv", "_final", " (new)"]),
)
def test_a_date_or_week_in_a_name_is_its_moment(at, form, before, after):
    found = moment_of(None, f"{before}{at.strftime(form)}{after}", "2030-01-01T00:00:00")
    assert found.source == "name"
    if "%V" in form:
        assert found.at.isocalendar()[:2] == at.isocalendar()[:2]
        assert found.at.weekday() == 0
    else:
        assert found.at.strftime(form) == at.strftime(form)


@pytest.mark.parametrize(
    ("given_moment", "name", "expected", "source"),
    [
        (None, "checks 2025-06", datetime(2025, 6, 1), "name"),
        (None, "checks_20251399", datetime(2030, 1, 2, 3), "recorded"),
        (None, "A-120250301", datetime(2030, 1, 2, 3), "recorded"),
        (None, "2025-02-30 or 2025-03-02", datetime(2025, 3, 2), "name"),
        (date(2024, 5, 1), "2025-06", datetime(2024, 5, 1), "given"),
        ("2024-05-01T12:00+02:00", "x", datetime(2024, 5, 1, 10), "given"),
        (datetime(2024, 5, 1, tzinfo=UTC), "x", datetime(2024, 5, 1), "given"),
    ],
)
def test_moments_that_are_given_in_the_name_or_neither(given_moment, name, expected, source):
    assert moment_of(given_moment, name, "2030-01-02T03:00:00+00:00") == (expected, source)


WRITER = """
import sys
import numpy as np, pyarrow as pa
import nachsicht
for i in range(int(sys.argv[3])):
    table = pa.table({"weight": np.arange(30.0) + i})
    nachsicht.History(sys.argv[1]).record(table, label=f"{sys.argv[2]} {i}")
    print(f"{sys.argv[2]} {i}", flush=True)
"""


def writer(folder, name, versions):
    return subprocess.Popen(
        [sys.executable, "-c", WRITER, folder, name, str(versions)],
        stdout=subprocess.PIPE,
        text=True,
    )


def test_of_two_writers_at_once_nothing_is_lost(tmp_path):
    writers = [writer(tmp_path, name, 6) for name in ("dawn", "dusk")]
    assert all(each.communicate()[0].count("\n") == 6 for each in writers)
    history = nachsicht.History(tmp_path)
    assert {v.label for v in history} == {f"{n} {i}" for n in ("dawn", "dusk") for i in range(6)}
    assert {v.number for v in history} == set(range(1, 13))
    assert len(history.profiles()) == 12


def killed(folder, times, seed):
    """Kill a writer so many times while it records, and hold the history to what it said."""
    rng = random.Random(seed)
    said = set()
    for n in range(times):
        process = writer(folder, f"run {n}", 1000)
        said.add(process.stdout.readline().strip())
        time.sleep(rng.uniform(0, 0.4))
        process.kill()
        said |= set(process.communicate()[0].splitlines())
        history = nachsicht.History(folder)
        assert said <= {v.label for v in history}
        assert len({v.number for v in history}) == len(history)
    assert len(nachsicht.History(folder).profiles()) >= len(said) > 0
    nachsicht.History(folder).record(readings(1), label="after all")


@pytest.mark.slow
def test_a_writer_that_is_killed_leaves_the_history_whole(tmp_path):
    killed(tmp_path, 4, seed=5)


@pytest.mark.slow
def test_writers_killed_at_fifty_moments_leave_the_history_whole(tmp_path):
    killed(tmp_path, 50, seed=6)


def command(*arguments):
    return subprocess.run(
        [sys.executable, "-m", "nachsicht", *map(str, arguments)],
        capture_output=True,
        text=True,
        check=False,
    )


@pytest.mark.slow
def test_the_command_says_what_happened_on_the_way_and_writes_the_page(tmp_path):
    history = nachsicht.History(tmp_path / "kept")
    for week in range(12):
        lower = readings(week).assign(battery=lambda f, w=week: f.battery - 0.6 * (w >= 8))
        history.record(lower, label=f"w{week:02d}", moment=date(2025, 1, 6) + timedelta(weeks=week))
    page = tmp_path / "page.html"
    done = command("history", history.folder, "-o", page)
    assert "12 versions, 3 columns" in done.stdout
    assert re.search(r"battery: all values are about 0\.(59|6)\S* lower since w08\.", done.stdout)
    assert "weight" not in done.stdout
    assert page.stat().st_size > 10_000
    german = command("history", history.folder, "--language", "de")
    assert "battery: alle Werte sind seit w08 um etwa 0," in german.stdout
    assert "w11" in command("history", history.folder, "--last", 4).stdout
    new = tmp_path / "new.csv"
    readings(20).assign(weight=lambda f: f.weight + 30).to_csv(new, index=False)
    judged = command("compare", new, "--against", history.folder).stdout
    assert re.search(
        r"weight: the median is [67]\S* in new, the newest version, and was [34]", judged
    )
    stopped = command("compare", new, "--against", history.folder, "--stop-on", "act", "-q")
    assert stopped.returncode == 1
    report = history.courses(new=nachsicht.profile(new))
    assert report.found.open(nachsicht.Severity.ACT, newest=True) == 2  # the battery came back
    summary = tmp_path / "summary.md"
    command("history", history.folder, "-o", summary)
    assert "- **act** battery: all values are about 0." in summary.read_text()
    (event,) = history.courses().found.happened
    assert (event.column, event.form, event.first) == ("battery", "jump", "w08")
    assert history.courses().to_frame().shape[0] == 1


def test_the_command_records_shows_and_judges(tmp_path):
    start = date(2025, 5, 5)
    for week in range(3):
        path = tmp_path / f"scales_{start + timedelta(weeks=week)}.csv"
        readings(week).to_csv(path, index=False)
        done = command("record", path, "--into", tmp_path / "kept")
        assert done.returncode == 0, done.stderr
    assert "scales_2025-05-19" in done.stdout
    assert "3 versions" in done.stdout
    page = tmp_path / "page.html"
    assert command("history", tmp_path / "kept", "-o", page).returncode == 0
    assert "scales_2025-05-12" in page.read_text()
    new = tmp_path / "new.csv"
    readings(9).assign(weight=lambda f: f.weight * 2.20462).to_csv(new, index=False)
    judged = command("compare", new, "--against", tmp_path / "kept", "--stop-on", "act")
    assert judged.returncode == 1
    assert "2.2046" in judged.stdout
    again = command("record", path, "--into", tmp_path / "kept")
    assert (again.returncode, again.stderr.count("\n")) == (2, 1)
    assert "recorded already" in again.stderr
    empty = command("history", tmp_path / "nothing")
    assert empty.returncode == 2
    assert "needs two versions" in empty.stderr
