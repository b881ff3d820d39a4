"""Files of every format, damaged at random: cut, overwritten, with parts that come twice.

Run as a program with a folder and seeds, it profiles each and prints what went wrong; whoever
runs it sees from its last line which file ended the process.
"""

from __future__ import annotations

import bz2
import gzip
import io
import json
import lzma
import random
import sys
import zipfile
from functools import cache
from pathlib import Path

import openpyxl
import pyarrow as pa
import pyarrow.parquet as pq

import nachsicht
from nachsicht.errors import NachsichtError, SettingsError

ROWS = 60


@cache
def table() -> pa.Table:
    draw = random.Random(4)
    return pa.table(
        {
            "hive": [f"H{i:03d}" for i in range(ROWS)],
            "region": pa.array(draw.choices(["moor", "coast", None], k=ROWS)).dictionary_encode(),
            "weight": [round(draw.gauss(40, 6), 1) for _ in range(ROWS)],
            "frames": pa.array(draw.choices([*range(3, 20), None], k=ROWS), pa.int16()),
            "checked": pa.array([1_700_000_000 + 86_400 * i for i in range(ROWS)]).cast(
                pa.timestamp("s")
            ),
            "queen": [{"year": 2020 + i % 5, "marked": [i % 2 == 0]} for i in range(ROWS)],
        }
    )


def written(write) -> bytes:
    sink = io.BytesIO()
    write(sink)
    return sink.getvalue()


def arrow(new, sink) -> None:
    with new(sink, table().schema) as writer:
        writer.write_table(table(), max_chunksize=20)


@cache
def originals() -> dict[str, bytes]:
    """A good file of each format, by its name."""
    flat = table().drop_columns(["queen"])
    text = flat.to_pandas().to_csv(index=False).encode()
    rows = [{k: str(v) for k, v in row.items()} for row in flat.to_pylist()]
    book = openpyxl.Workbook()
    for row in [flat.schema.names, *(list(row.values()) for row in flat.to_pylist())]:
        book.active.append(row)
    zipped = io.BytesIO()
    with zipfile.ZipFile(zipped, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("checks.csv", text)
    document = nachsicht.profile(table()).to_json()
    return {
        "checks.csv": text,
        "utf16.csv": text.decode().encode("utf-16"),
        "checks.csv.gz": gzip.compress(text),
        "checks.csv.bz2": bz2.compress(text),
        "checks.csv.xz": lzma.compress(text),
        "checks.csv.zst": pa.Codec("zstd").compress(text, asbytes=True),
        "checks.zip": zipped.getvalue(),
        "checks.parquet": written(lambda sink: pq.write_table(table(), sink, row_group_size=20)),
        "file.arrow": written(lambda sink: arrow(pa.ipc.new_file, sink)),
        "stream.arrow": written(lambda sink: arrow(pa.ipc.new_stream, sink)),
        "checks.json": json.dumps(rows).encode(),
        "checks.jsonl": b"\n".join(json.dumps(row).encode() for row in rows),
        "checks.xlsx": written(book.save),
        "document.json": document,
        "document.json.gz": gzip.compress(document),
    }


def make(seed: int) -> tuple[str, bytes]:
    """The name and the bytes of a damaged file; the same for the same seed."""
    draw = random.Random(seed)
    name, data = draw.choice([*originals().items()])
    other = draw.choice([*originals().values()])
    for _ in range(draw.choice([1, 1, 1, 2, 5])):
        size = draw.choice([1, 1, 2, 8, 100])
        at, source = draw.randrange(len(data) + 1), draw.randrange(len(other))
        put = draw.choice(
            [
                draw.randbytes(size),
                bytes(size),
                b"\xff" * size,
                other[source : source + size],
                data[at : at + size] * draw.choice([2, 50]),
                b"",
            ]
        )
        data = draw.choice([data[:at] + put + data[at + size :], data[:at] + put + data[at:]])
        if draw.random() < 0.1:
            data = data[:at]
    return name, data


def wrong(seed: int, folder: Path) -> str | None:
    """What is told of a damaged file other than a profile or an error of the product's own."""
    name, data = make(seed)
    path = folder / name
    path.write_bytes(data)
    options = random.Random(seed).choice([{}, {}, {"memory_bytes": 2_000}])
    try:
        found = nachsicht.profile(path, **options)
        # A document is shown as it is read; whether its figures agree is not asked here.
        assert name.startswith("document") or (found.to_html() and found.to_json())
    except NachsichtError as error:
        return f"{name}: {error}" if isinstance(error, SettingsError) else None
    except Exception as error:  # whatever it is, it is wrong
        return f"{name}: {type(error).__name__}: {error}"[:200]
    return None


def main(folder: str, first: str, beyond: str) -> None:
    """Say which file comes next, what is wrong with it, and that no file is left."""
    for seed in range(int(first), int(beyond)):
        why = wrong(seed, Path(folder))
        told = f"wrong {seed} {why}\n" if why else ""
        sys.stdout.write(f"{told}{seed + 1}\n")
        sys.stdout.flush()
    sys.stdout.write("done\n")


if __name__ == "__main__":
    main(*sys.argv[1:])
