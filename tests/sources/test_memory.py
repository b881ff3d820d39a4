"""Memory that was stated holds, whatever the disk says: small files of large tables."""

import bz2
import gzip
import io
import os
import subprocess
import sys
import zipfile

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

import nachsicht

ROWS = 2_500_000
LINE = b"Apiary of the union in the valley,12.5,calm and strong,7,2025-03-01\n"
RECORD = b'{"yard":"Apiary of the union in the valley","kg":12.5,"temper":"calm","mites":7}'
HEAD = b"yard,kg,temper,mites,checked\n"


def csv_bytes():
    return HEAD + LINE * ROWS


def document(folder):
    table = pa.table({f"c{i}": pa.array(range(200)) for i in range(20)})
    own = nachsicht.profile(table).to_json()
    place = own.index(b'"title":"') + len(b'"title":"')
    return gzip.compress(own[:place] + b"x" * 400_000_000 + own[place:], 1)


def workbook(folder):
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("xl/worksheets/sheet1.xml", b"<c><v>12.5</v></c>" * 30_000_000)
    return file.getvalue()


def zipped(folder):
    file = io.BytesIO()
    with zipfile.ZipFile(file, "w", zipfile.ZIP_DEFLATED) as packed:
        packed.writestr("checks.csv", csv_bytes())
    return file.getvalue()


def parquet(columns):
    file = io.BytesIO()
    pq.write_table(pa.table(columns), file, row_group_size=500_000)
    return file.getvalue()


def texts(folder):
    words = [f"{i} " + "calm and strong and " * 12 for i in range(300)]
    codes = pa.array(np.arange(ROWS) % 300, pa.int32())
    return parquet({"note": pa.DictionaryArray.from_arrays(codes, words).cast(pa.string())})


def numbers(folder):
    return parquet({f"n{i}": pa.array(np.repeat(np.arange(5), ROWS)) for i in range(4)})


def lines():
    return (RECORD + b"\n") * ROWS


def records():
    return b"[" + (RECORD + b",") * (ROWS - 1) + RECORD + b"]"


INPUTS = {
    "plain.csv": lambda _: csv_bytes(),
    "gzip.csv.gz": lambda _: gzip.compress(csv_bytes(), 1),
    "bzip.csv.bz2": lambda _: bz2.compress(csv_bytes(), 1),
    "zstandard.csv.zst": lambda _: pa.Codec("zstd").compress(csv_bytes(), asbytes=True),
    "texts.parquet": texts,
    "numbers.parquet": numbers,
    "records.json": lambda _: records(),
    "records.json.gz": lambda _: gzip.compress(records(), 1),
    "lines.jsonl": lambda _: lines(),
    "lines.jsonl.gz": lambda _: gzip.compress(lines(), 1),
    "zip.zip": zipped,
    "workbook.xlsx": workbook,
    "document.json.gz": document,
}
#: Runs a command and tells the largest memory of it and of what it started, in kB.
MEASURED = """
import resource, subprocess, sys
done = subprocess.run(sys.argv[1:], stdout=subprocess.DEVNULL)
print(done.returncode, resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)
"""


@pytest.mark.slow
@pytest.mark.parametrize("name", INPUTS)
def test_memory_that_is_stated_holds_or_the_input_is_refused(name, tmp_path):
    (tmp_path / name).write_bytes(INPUTS[name](tmp_path))
    command = [sys.executable, "-m", "nachsicht", "profile", name, "--memory", "300MB", "-q"]
    done = subprocess.run(
        [sys.executable, "-c", MEASURED, *command, "-o", "page.html"],
        cwd=tmp_path,
        capture_output=True,
        text=True,
        env=os.environ | {"TMPDIR": str(tmp_path)},
        check=True,
    )
    status, peak = map(int, done.stdout.split())
    assert peak * 1024 <= 1.5 * 300e6
    refused = status == 2 and done.stderr.count("\n") == 1
    assert status == 0 or (refused and ("--memory" in done.stderr or "MB" in done.stderr))


@pytest.mark.parametrize("ending", ["jsonl", "jsonl.gz"])
def test_json_lines_in_pieces_are_those_in_memory(tmp_path, monkeypatch, ending):
    monkeypatch.setattr("nachsicht.sources.json.lines._PIECE", 20_000)
    rows = [f'{{"hive":{i},"kg":{i % 40}}}' for i in range(3_000)]
    rows[2_000] = '{"hive":2000,"kg":7.5,"note":"calm"}'  # another type, and a further column
    rows[2_500] = '{"hive":"H-2500","kg":3}'
    data = "\n".join(rows).encode()
    path = tmp_path / f"checks.{ending}"
    path.write_bytes(gzip.compress(data) if ending.endswith("gz") else data)
    whole = nachsicht.profile(path).document
    pieces = nachsicht.profile(path, memory_bytes=100_000).document
    assert pieces.rows == whole.rows == 3_000
    for one, two in zip(whole.columns, pieces.columns, strict=True):
        assert (one.name, one.kind, one.missing, one.distinct) == (
            two.name, two.kind, two.missing, two.distinct,
        )  # fmt: skip
