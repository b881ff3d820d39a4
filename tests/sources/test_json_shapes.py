"""JSON in the shapes in which tables are usually written."""

import gzip
import json

import pandas as pd
import pytest

import nachsicht

FRAME = pd.DataFrame(
    {
        "hive": [f"h{i}" for i in range(40)],
        "mites": [i % 7 for i in range(40)],
        "weight": [i / 2 for i in range(40)],
    }
)
RECORDS = FRAME.to_dict("records")

SHAPES = {
    "columns of rows": FRAME.to_json(),
    "columns of lists": json.dumps(FRAME.to_dict("list")),
    "names beside rows": FRAME.to_json(orient="split"),
    "with a schema": FRAME.to_json(orient="table", index=False),
    "under a key": json.dumps({"count": 40, "next": None, "results": RECORDS}),
    "deep under keys": json.dumps({"union": {"checks": RECORDS, "year": 2025}}),
    "over several lines": json.dumps({"results": RECORDS}, indent=2),
    "records": json.dumps(RECORDS),
    "lines": FRAME.to_json(orient="records", lines=True),
}


@pytest.mark.parametrize("text", SHAPES.values(), ids=SHAPES)
@pytest.mark.parametrize("packed", [False, True], ids=["plain", "packed"])
def test_shapes(text, packed, tmp_path):
    path = tmp_path / ("checks.json.gz" if packed else "checks.json")
    path.write_bytes(gzip.compress(text.encode()) if packed else text.encode())
    document = nachsicht.profile(path).document
    assert (document.rows, document.names) == (40, ("hive", "mites", "weight"))
    assert document.column("mites").stats.mean == FRAME["mites"].mean()
    assert document.column("weight").stats.maximum == 19.5


def test_one_record_is_a_table_of_one_row(tmp_path):
    (tmp_path / "one.json").write_text('{"hive": "h1", "mites": 3}\n')
    assert nachsicht.profile(tmp_path / "one.json").document.rows == 1


def test_records_may_be_long_and_hold_lists(tmp_path):
    lines = [json.dumps({"note": "x" * (1 << 20), "mites": i}) for i in range(3)]
    (tmp_path / "long.json").write_text("\n".join(lines))
    assert nachsicht.profile(tmp_path / "long.json").document.rows == 3
    (tmp_path / "one.jsonl").write_text('{"mites": [1, 2], "weights": [3, 4]}\n')
    assert nachsicht.profile(tmp_path / "one.jsonl").document.rows == 1


def test_documents_are_still_known(tmp_path):
    made = nachsicht.profile(FRAME, label="2025")
    made.write(tmp_path / "2025.json")
    assert nachsicht.profile(tmp_path / "2025.json").document == made.document
    text = (tmp_path / "2025.json").read_text()
    (tmp_path / "cut.json").write_text(text[: len(text) // 2])
    with pytest.raises(nachsicht.DocumentError):
        nachsicht.profile(tmp_path / "cut.json")


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ('{\n "name": "union",\n "members": 3\n}', "neither columns nor one list of records"),
        ('{"a": [{"x": 1}],\n "b": [{"y": 2}]}', "neither columns nor one list of records"),
        ('{\n "a": [1, 2', "not valid JSON"),
    ],
)
def test_what_is_no_table_is_said(text, told, tmp_path):
    (tmp_path / "odd.json").write_text(text)
    with pytest.raises(nachsicht.UnreadableSourceError, match=told):
        nachsicht.profile(tmp_path / "odd.json")
