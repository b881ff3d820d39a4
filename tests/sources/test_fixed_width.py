"""Text whose columns stand below each other holds what pandas wrote into it."""

import numpy as np
import pandas as pd
import pytest

import nachsicht

RNG = np.random.default_rng(21)
ROWS = 400
FRAME = pd.DataFrame(
    {
        "hive": [f"{'ABC'[i % 3]}-{i}" for i in range(ROWS)],
        "apiary": RNG.choice(["Lindenhof", "Am Bach", "Drei Linden", "Süd"], ROWS),
        "mites": RNG.poisson(4, ROWS),
        "weight": np.round(RNG.normal(60, 8, ROWS), 1),
        "note": RNG.choice(["calm", "two frames, queen seen", "swarmed"], ROWS),
    }
)


def assert_all_there(document, frame=FRAME):
    assert (document.rows, document.names) == (len(frame), tuple(frame.columns))
    counts = frame["apiary"].value_counts().to_dict()
    assert {v.value: v.count for v in document.column("apiary").top_values} == counts
    assert document.column("mites").stats.mean == pytest.approx(frame["mites"].mean())
    assert document.column("weight").stats.mean == pytest.approx(frame["weight"].mean())
    assert "fixed_width" in {note.code for note in document.origin.notes}


def lines_of(frame, rule=False):
    """Texts from the left, numbers from the right, as tables are printed."""
    held = frame.astype(object).where(frame.notna(), "").astype(str)
    texts = frame.dtypes.map(pd.api.types.is_string_dtype)
    padded = []
    for name in frame:
        width = max(held[name].str.len().max(), len(name))
        side = "left" if not texts[name] else "right"
        cells = [name, *(["-" * width] if rule else []), *held[name]]
        padded.append(
            [cell.rjust(width) if side == "left" else cell.ljust(width) for cell in cells]
        )
    return ["  ".join(row).rstrip() for row in zip(*padded, strict=True)]


@pytest.mark.parametrize("encoding", ["utf-8", "cp1252"])
def test_columns_are_found(tmp_path, encoding):
    (tmp_path / "checks.txt").write_bytes("\n".join(lines_of(FRAME)).encode(encoding))
    assert_all_there(nachsicht.profile(tmp_path / "checks.txt").document)


def test_values_may_be_missing_and_names_underlined(tmp_path):
    frame = FRAME.copy()
    frame["mites"] = frame["mites"].astype("Int64")
    frame.loc[::7, "mites"] = pd.NA
    (tmp_path / "checks.txt").write_text("\n".join(lines_of(frame, rule=True)))
    document = nachsicht.profile(tmp_path / "checks.txt").document
    assert_all_there(document, frame)
    assert document.column("mites").missing == frame["mites"].isna().sum()


def test_widths_can_be_given(tmp_path):
    lines = ["hive mites"] + [f"h{i:03}{i % 9:>6}" for i in range(60)]
    (tmp_path / "checks.txt").write_text("\n".join(lines))
    reading = {"widths": [4, 6]}
    document = nachsicht.profile(tmp_path / "checks.txt", reading=reading).document
    assert (document.rows, document.names) == (60, ("hive", "mites"))
    assert document.column("mites").stats.maximum == 8


def test_columns_that_do_not_go_on_are_refused(tmp_path):
    lines = [*(lines_of(FRAME) * 8), "x" * 40]
    (tmp_path / "checks.txt").write_text("\n".join(lines))
    with pytest.raises(nachsicht.UnreadableSourceError, match=r"checks\.txt"):
        nachsicht.profile(tmp_path / "checks.txt")


@pytest.mark.parametrize(
    "text",
    [
        FRAME.to_csv(index=False),
        FRAME.to_csv(index=False, sep=";"),
        FRAME.to_csv(index=False, sep="\t"),
        "".join(f"{a} {b}\n" for a, b in zip(FRAME["hive"], FRAME["mites"], strict=True)),
        "".join(f"{text}  and then some\n" for text in FRAME["note"]),
    ],
    ids=["commas", "semicolons", "tabs", "blanks", "sentences"],
)
def test_other_text_is_read_as_before(tmp_path, text):
    (tmp_path / "checks.txt").write_text(text)
    notes = nachsicht.profile(tmp_path / "checks.txt").document.origin.notes
    assert "fixed_width" not in {note.code for note in notes}
