"""Tables in HTML and XML, written by pandas, give the figures of the frame."""

import numpy as np
import pandas as pd
import pytest

import nachsicht
from nachsicht.errors import SourceError

pytest.importorskip("lxml")

RNG = np.random.default_rng(2)
FRAME = pd.DataFrame(
    {
        "hive": [f"h{i % 20}" for i in range(200)],
        "weight": RNG.normal(30, 4, 200).round(2),
        "mites": RNG.poisson(3, 200),
    }
)


@pytest.fixture
def page(tmp_path):
    path = tmp_path / "checks.html"
    small = pd.DataFrame({"contents": ["a", "b"]}).to_html(index=False)
    body = f"<html><body><h1>Checks</h1>{small}{FRAME.to_html(index=False)}</body></html>"
    path.write_text(body, encoding="utf-8")
    return path


def check(document):
    assert document.names == tuple(FRAME)
    assert document.rows == len(FRAME)
    assert document.column("weight").stats.mean == pytest.approx(FRAME.weight.mean())
    assert document.column("mites").stats.maximum == FRAME.mites.max()


def test_the_largest_table_of_a_page_is_read(page):
    document = nachsicht.profile(page).document
    check(document)
    (note,) = [note for note in document.origin.notes if note.code == "table_of_page"]
    assert note.facts == {"number": 2, "of": 2}


def test_the_rows_of_xml_are_read(tmp_path):
    FRAME.to_xml(tmp_path / "checks.xml", index=False)
    check(nachsicht.profile(tmp_path / "checks.xml").document)


def test_a_decimal_comma_is_no_thousand(tmp_path):
    path = tmp_path / "checks.html"
    FRAME.assign(weight=[f"{w:.2f}".replace(".", ",") for w in FRAME.weight]).to_html(
        path, index=False
    )
    check(nachsicht.profile(path, decimal=",").document)
    plain = nachsicht.profile(path).document.column("weight")
    assert plain.stats.maximum < 100


def test_no_file_beside_is_read_into_a_table(tmp_path):
    (tmp_path / "secret.txt").write_text("a secret of somebody")
    path = tmp_path / "checks.xml"
    path.write_text(
        f'<!DOCTYPE r [<!ENTITY x SYSTEM "file://{tmp_path}/secret.txt">]>'
        "<r><c><hive>&x;</hive><n>1</n></c><c><hive>b</hive><n>2</n></c></r>"
    )
    try:
        document = nachsicht.profile(path).document
    except SourceError:
        return
    assert "secret of" not in str(document)


@pytest.mark.parametrize(
    ("name", "text", "told"),
    [
        ("checks.html", "<html><body>No table here.</body></html>", "no table"),
        ("checks.xml", "<r><c></r>", "damaged"),
    ],
)
def test_what_holds_no_table_is_said(tmp_path, name, text, told):
    path = tmp_path / name
    path.write_text(text)
    with pytest.raises(SourceError, match=told):
        _ = nachsicht.profile(path).document
