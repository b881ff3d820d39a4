"""Settings files, accepting, stopping, explaining, groups and Markdown, as a user meets them."""

import json
import re
import tomllib
from pathlib import Path

import jsonschema
import numpy as np
import pandas as pd
import pytest
from markdown_it import MarkdownIt
from tests.cli.test_command import run
from tests.output.test_page_data import data_of

import nachsicht
from nachsicht.config.settings import FIELDS
from nachsicht.errors import SettingsError

pytestmark = pytest.mark.slow


@pytest.fixture
def folder(demo_files, tmp_path):
    for year in (2024, 2025):
        name = f"hive_checks_{year}.csv"
        (tmp_path / name).write_bytes(demo_files[name].read_bytes())
    return tmp_path


BOTH = ("hive_checks_2024.csv", "hive_checks_2025.csv")


def test_a_settings_file_is_read_and_told_with_its_lines(folder):
    (folder / "nachsicht.toml").write_text(
        'title = "Team page"\n\nomit = ["note"]\n[findings.distribution_shift]\noff = true\n'
    )
    done = run("compare", *BOTH, cwd=folder)
    assert done.stdout.startswith("\nTeam page\n")
    assert "mite_count" not in done.stdout.split("column ")[0]
    assert "note " not in done.stdout.split("column ")[1]
    told = run("settings", "--key", "check_id", cwd=folder).stdout
    assert "nachsicht.toml, line 3" in told
    assert "check_id" in told
    for name in FIELDS:
        assert name in told


@pytest.mark.parametrize(
    ("text", "line", "near"),
    [
        ('title = "x"\nomitt = ["a"]\n', 2, "omit"),
        ("[findings.rescale]\noff = true\n", 1, "rescaled"),
        ("[reading]\n\ndelimeter = ';'\n", 3, "delimiter"),
        ('alpha = "often"\n', 1, ""),
        ("[findings.missing_values]\n\nact = 'a'\n", 1, ""),
        ("title = \n", 1, ""),
        ('[theme]\nlgo = "x"\n', 2, "logo"),
    ],
)
def test_a_wrong_settings_file_names_line_and_nearest_word(folder, text, line, near):
    (folder / "nachsicht.toml").write_text(text)
    done = run("compare", *BOTH, cwd=folder)
    assert done.returncode == 2
    assert done.stderr.count("\n") == 1
    assert f"line {line}" in done.stderr
    assert near in done.stderr


def test_the_schema_of_settings_fits_what_is_read(folder):
    schema = json.loads(run("settings", "--schema").stdout)
    good = {"title": "x", "key": ["a"], "findings": {"missing_values": {"check": 0.2}}}
    jsonschema.validate(good, schema)
    with pytest.raises(jsonschema.ValidationError):
        jsonschema.validate({"titel": "x"}, schema)


def test_accepted_findings_no_longer_count_and_stale_ones_are_told(folder):
    run("compare", *BOTH, "-q", "-o", "c.json", cwd=folder)
    assert run("compare", *BOTH, "-q", "--stop-on", "act", cwd=folder).returncode == 1
    urgent = [f for f in nachsicht.read(folder / "c.json").findings if f.severity != "note"]
    for finding in urgent:
        because = 'known since "May"\nand before'
        done = run(
            "accept", "c.json", finding.code, *finding.columns, "--reason", because, cwd=folder
        )
        assert done.returncode == 0, done.stderr
    done = run("compare", *BOTH, "--stop-on", "check", "-o", "d.json", cwd=folder)
    assert done.returncode == 0
    assert "2025 can replace 2024: nothing that matters has changed." in done.stdout
    assert "Six are accepted." in done.stdout
    again = nachsicht.read(folder / "d.json").document
    assert [f.accepted for f in again.findings if f.severity != "note"] == [because] * len(urgent)
    assert {column.severity for column in again.columns} <= {None, "note"}
    done = run("compare", BOTH[0], BOTH[0], "--label", "a", "--label", "b", cwd=folder)
    assert done.stdout.count("no longer found") == len(urgent)


def test_an_acceptance_ends_with_its_day(folder):
    run("compare", *BOTH, "-q", "-o", "c.json", cwd=folder)
    urgent = [f for f in nachsicht.read(folder / "c.json").findings if f.severity == "act"]
    for finding in urgent:
        accept = ("accept", "c.json", finding.code, *finding.columns, "--reason", "until June")
        assert run(*accept, "--until", "2026-06-30", cwd=folder).returncode == 0
    for day, status, told in ((1_782_777_600, 0, 0), (1_782_864_000, 1, len(urgent))):
        done = run(
            "compare", *BOTH, "--stop-on", "act", cwd=folder, SOURCE_DATE_EPOCH=str(day)
        )  # 30 June and 1 July 2026
        assert done.returncode == status
        assert done.stdout.count("Accepted until 2026-06-30 (until June)") == told
    wrong = run("accept", "c.json", "rescaled", "--reason", "x", "--until", "June", cwd=folder)
    assert wrong.returncode == 2


def test_a_graver_finding_than_the_accepted_one_counts_again(tmp_path):
    import pyarrow as pa

    accepted = tmp_path / "known.toml"
    accepted.write_text(
        '[[accepted]]\ncode = "missing_increased"\ncolumn = "w"\n'
        'reason = "few"\nseverity = "check"\n'
    )
    values = list(range(1000))
    versions = [
        pa.table({"w": [None if i % 100 < share else v for i, v in enumerate(values)]})
        for share in (0, 5, 50)
    ]
    few, many = (
        nachsicht.compare(versions[0], version, accepted=str(accepted)).findings
        for version in versions[1:]
    )
    assert [f.accepted for f in few if f.code == "missing_increased"] == ["few"]
    assert [f.accepted for f in many if f.code == "missing_increased"] == [None]


@pytest.mark.parametrize(
    ("words", "told"),
    [
        (("accept", "c.json", "rescaled", "honey", "--reason", "x"), "holds no finding"),
        (("accept", "no.json", "rescaled", "--reason", "x"), "cannot be opened"),
        (("explain", "rescale"), "Did you mean rescaled"),
        (("compare", *BOTH, "--accepted", "no.toml"), "cannot be opened"),
        (("compare", BOTH[0], "--by", "hive_tpe"), "Did you mean hive_type"),
        (("compare", BOTH[0], "--by", "hive_type", "--group", "log", "--group", "x"), "no group x"),
        (("compare", BOTH[0], "--by", "check_id"), "too many for groups"),
        (("compare", *BOTH, "--kind", "note=quantity"), "cannot be read as quantity"),
        (("compare", *BOTH, "--outcome", "overwinter"), "Did you mean overwintered"),
        (("compare", BOTH[0]), "two sources or more"),
    ],
)
def test_mistakes_are_told_and_exit_with_2(folder, words, told):
    run("compare", *BOTH, "-q", "-o", "c.json", cwd=folder)
    done = run(*words, cwd=folder)
    assert done.returncode == 2
    assert told in done.stderr
    assert "Traceback" not in done.stderr


def test_explain_tells_of_every_code(folder):
    codes = [line.split()[0] for line in run("explain").stdout.splitlines() if line[:2] == "  "]
    assert len(codes) > 60
    told = run("explain", "rescaled").stdout
    assert "always act" in told
    assert "factor" in told


def test_groups_are_compared_with_the_rest_and_with_each_other(folder):
    done = run("compare", BOTH[0], "--by", "hive_type", "-o", "g.json", cwd=folder)
    assert done.returncode == 0, done.stderr
    document = nachsicht.read(folder / "g.json").document
    assert document.grouped_by == "hive_type"
    assert [v.label for v in document.versions] == ["log", "long", "stacked", "top-bar"]
    assert {step.before for column in document.columns for step in column.transitions} == {None}
    assert all(f.version_names[0] == "the others" for f in document.findings)
    assert "hive_type" not in {column.name for column in document.columns}
    pair = ("--group", "log", "--group", "long")
    run("compare", BOTH[0], "--by", "hive_type", *pair, "-o", "p.json", cwd=folder)
    assert [v.label for v in nachsicht.read(folder / "p.json").document.versions] == ["log", "long"]


def test_two_groups_are_told_apart_without_causes_and_a_masked_one_is_not_named(folder):
    table = pd.read_csv(folder / BOTH[0])
    heavy = table.assign(hive_weight=table["hive_weight"] * (1 + (table["hive_type"] == "log")))
    pair = nachsicht.compare_groups(heavy, by="hive_type", groups=["long", "log"])
    codes = {finding.code for finding in pair.findings}
    assert "distribution_shift" in codes
    assert not codes & {"rescaled", "rows_lost", "shifted", "relabelled"}
    assert "apart from the rest" in pair.verdict
    hidden = nachsicht.compare_groups(heavy, by="hive_type", mask="hive_type")
    assert all(v.label.startswith("masked-") for v in hidden.document.versions)
    with pytest.raises(nachsicht.SettingsError, match="Did you mean overwintered"):
        nachsicht.compare_groups(heavy, by="hive_type", outcome="overwinter")


def test_markdown_carries_the_same_verdict_and_no_markup_of_the_data(folder):
    import pyarrow as pa

    page = nachsicht.compare(*(folder / name for name in BOTH))
    text = page.write(folder / "s.md").read_text()
    for finding in page.findings:
        assert finding.title.replace("_", "\\_") in text
    assert page.verdict in text.replace("** ", " ").replace("**", "")
    odd = "<img src=x>|*b*_c_`d`[e](http://f) @ada #1"
    hostile = nachsicht.compare(
        pa.table({"a": [1, 2, 3] * 20}), pa.table({odd: ["x", odd, "y"] * 20}), labels=[odd, "new"]
    )
    html = (
        MarkdownIt("commonmark", {"html": True})
        .enable(["table", "strikethrough"])
        .render(hostile.to_markdown())
    )
    tags = set(re.findall(r"<(\w+)", html))
    assert tags <= {"h2", "p", "strong", "em", "ul", "li", "br", "table", "thead", "tbody"} | {
        *("tr", "th", "td")
    }
    assert "&lt;img src=x&gt;|*b*_c_`d`[e](http" in html
    assert " @ada" not in html


def test_masked_columns_are_nowhere_to_be_read(folder):
    done = run(
        "compare",
        *BOTH,
        "--mask",
        "apiary",
        "--mask",
        "hive_w*",
        "-o",
        "m.json",
        "-o",
        "m.html",
        "-o",
        "m.md",
        cwd=folder,
    )
    assert done.returncode == 0, done.stderr
    texts = done.stdout + "".join((folder / f"m.{s}").read_text() for s in ("json", "html", "md"))
    for town in ("Dreilinden", "Weidenbruch", "Hasenleite"):
        assert town not in texts
    columns = {c.name: c for c in nachsicht.read(folder / "m.json").document.versions[1].columns}
    assert columns["apiary"].top_values[0].value.startswith("masked-")
    assert columns["hive_weight"].kind in ("category", "identifier", "text")
    plain = nachsicht.profile(folder / BOTH[1]).document
    assert columns["apiary"].distinct == plain.column("apiary").distinct


def test_kinds_are_taken_from_the_settings(folder):
    page = nachsicht.profile(folder / BOTH[0], kinds={"queen_age_years": "category"})
    column = page.document.column("queen_age_years")
    assert (column.kind, column.kind_reason) == ("category", "chosen")


def test_the_past_of_a_dataset_is_compared_as_versions(tmp_path):
    rng = np.random.default_rng(3)
    n = 1500
    days = pd.Timestamp("2024-01-01") + pd.to_timedelta(np.sort(rng.integers(0, 182, n)), "D")
    weight = np.round(rng.normal(30, 5, n), 1)
    weight[days >= pd.Timestamp("2024-04-01")] *= 2.20462
    frame = pd.DataFrame({"seen": days, "weight": weight, "kind": rng.choice(["a", "b"], n)})
    compared = nachsicht.compare_groups(frame, by="seen")
    labels = [version.label for version in compared.document.versions]
    assert labels == [f"2024-0{month}" for month in range(1, 7)]
    assert compared.document.sliced_by == "seen"
    assert [(f.code, f.versions) for f in compared.findings if f.severity == "act"] == [
        ("rescaled", ("2024-03", "2024-04"))
    ]
    assert compared.document.verdict.headline.startswith("2024-06 does not differ from 2024-05")
    assert not compared.document.rows
    weekly = frame.assign(
        seen=pd.Timestamp("2019-01-07") + pd.to_timedelta(np.arange(n) % 300, "W")
    )
    labels = [version.label for version in nachsicht.compare_groups(weekly, by="seen").versions]
    assert labels == [str(year) for year in range(2019, 2025)]
    with pytest.raises(SettingsError, match="no two months or years"):
        nachsicht.compare_groups(frame.assign(seen=days[0]), by="seen")


def test_a_project_file_with_a_table_for_us_is_read(tmp_path):
    table = '[project]\nname = "x"\n\n[tool.nachsicht]\nkey = ["hive_id"]\n'
    (tmp_path / "pyproject.toml").write_text(table)
    done = run("settings", cwd=tmp_path)
    assert "pyproject.toml, line 5" in done.stdout
    (tmp_path / "pyproject.toml").write_text(table + "max_level = 3\n")
    done = run("settings", cwd=tmp_path)
    assert done.returncode == 2
    assert "pyproject.toml, line 6" in done.stderr
    assert "max_levels" in done.stderr
    (tmp_path / "nachsicht.toml").write_text("max_levels = 50\n")
    done = run("settings", cwd=tmp_path)
    assert "nachsicht.toml, line 1" in done.stdout
    assert "hive_id" not in done.stdout
    (tmp_path / "nachsicht.toml").unlink()
    (tmp_path / "pyproject.toml").write_text('[project]\nname = "x"\n')
    assert "pyproject" not in run("settings", cwd=tmp_path).stdout


def test_a_theme_in_a_file_of_its_own_and_a_wrong_name_in_it(folder, tmp_path):
    themes = Path(__file__).parents[2] / "examples" / "themes"
    for theme in themes.glob("*.toml"):
        done = run("profile", BOTH[0], "--theme", str(theme), "-o", "page.html", cwd=folder)
        assert done.returncode == 0, done.stderr
        page = (folder / "page.html").read_text(encoding="utf-8")
        told = tomllib.loads(theme.read_text())
        assert f"--ink: {told['ink']}" in page
        data = data_of(page)["page"]
        assert (data["logo"] or "").startswith("data:image/svg+xml") is ("logo" in told)
        assert data["theme_notes"] == []
    (folder / "odd.toml").write_text('ink = "#102030"\ninks = "#102030"\n')
    done = run("profile", BOTH[0], "--theme", "odd.toml", "-o", "page.html", cwd=folder)
    assert done.returncode == 2
    assert "odd.toml, line 2" in done.stderr
    assert "Did you mean ink" in done.stderr


def test_a_note_is_given_to_a_part_of_the_page_and_a_wrong_address_is_told(folder):
    note = "column/mite_count=2025 = by hand"
    done = run("profile", BOTH[1], "--note", note, "-o", "p.json", "-o", "p.html", cwd=folder)
    assert done.returncode == 0, done.stderr
    kept = nachsicht.read(folder / "p.json")
    assert kept.document.notes == {"column/mite_count": "2025 = by hand"}
    shown = data_of((folder / "p.html").read_text(encoding="utf-8"))["page"]["notes"]
    assert shown == {"column/mite_count": "<p>2025 = by hand</p>\n"}
    for wrong, told in (("mite_count=x", "mite_count"), ("finding/odd=x", "finding/")):
        done = run("profile", BOTH[1], "--note", wrong, cwd=folder)
        assert done.returncode == 2
        assert told in done.stderr
