"""Archives: their files are one dataset, and what is wrong with them is said."""

import io
import tarfile
import zipfile
from contextlib import suppress

import openpyxl
import pytest

import nachsicht


@pytest.fixture
def text(demo_files):
    return demo_files["hive_checks_2025.csv"].read_bytes()


def halves(text):
    head, *lines = text.splitlines(keepends=True)
    return head + b"".join(lines[:3000]), head + b"".join(lines[3000:])


def packed(path, files):
    if path.suffix == ".zip":
        with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
            for name, content in files.items():
                archive.writestr(name, content)
    else:
        kind = "gz" if path.suffix == ".tgz" else path.suffix[1:]
        with tarfile.open(path, f"w:{kind}") as archive:
            for name, content in files.items():
                info = tarfile.TarInfo(name)
                info.size = len(content)
                archive.addfile(info, io.BytesIO(content))
    return path


@pytest.mark.parametrize("name", ["checks.zip", "checks.tgz", "checks.tar.gz"])
def test_one_table_or_parts_have_the_figures_of_the_file(name, text, demo_files, tmp_path):
    expected = nachsicht.profile(demo_files["hive_checks_2025.csv"]).document
    first, second = halves(text)
    for files in (
        {"a/checks.csv": text},
        {"b/2.csv": second, "a/1.csv": first, "__MACOSX/._1.csv": b"\0", "../.hidden": b"x"},
    ):
        made = nachsicht.profile(packed(tmp_path / name, files)).document
        assert (made.rows, made.label) == (expected.rows, "checks")
        assert made.origin.source == name
        assert made.fingerprint == expected.fingerprint


@pytest.mark.parametrize("name", ["checks.zip", "checks.tgz", "checks.tar.bz2", "checks.tar.xz"])
def test_damage_is_told_and_never_read(name, text, tmp_path):
    path = packed(tmp_path / name, {"checks.csv": text})
    whole = path.read_bytes()
    half = len(whole) // 2
    for content in (whole[:half] + bytes(300) + whole[half + 300 :], whole[:half]):
        path.write_bytes(content)
        with pytest.raises(nachsicht.UnreadableSourceError, match=f"cannot be unpacked.*{name}"):
            nachsicht.profile(path)


def test_an_archive_at_an_address(text, tmp_path):
    fsspec = pytest.importorskip("fsspec")
    archive = packed(tmp_path / "checks.zip", {"checks.csv": text}).read_bytes()
    fsspec.filesystem("memory").pipe("/union/checks.zip", archive)
    assert nachsicht.profile("memory://union/checks.zip").document.rows == text.count(b"\n") - 1


def test_what_is_wrong_inside_names_the_archive_not_its_copy(text, tmp_path):
    other = {"1.csv": text, "2.csv": b"weight,note\n1,a\n"}
    with pytest.raises(nachsicht.UnreadableSourceError, match="other columns") as failed:
        nachsicht.profile(packed(tmp_path / "checks.zip", other)).document  # noqa: B018
    assert failed.value.where == "checks.zip: 000002_2.csv"


def test_names_in_archives_lead_nowhere(text, tmp_path):
    inside = tmp_path / "inside"
    inside.mkdir()
    path = packed(inside / "checks.zip", {"../../escaped.csv": text})
    nachsicht.profile(path).document  # noqa: B018
    assert [p.name for p in tmp_path.rglob("*.csv")] == []


@pytest.mark.parametrize(
    ("content", "error"),
    [(b"PK\3\4 cut off", nachsicht.UnreadableSourceError), (None, nachsicht.SourceNotFoundError)],
)
def test_what_cannot_be_unpacked_is_said(content, error, tmp_path):
    path = tmp_path / "checks.zip"
    if content is not None:
        path.write_bytes(content)
    with pytest.raises(error, match=r"checks\.zip"):
        nachsicht.profile(path)
    with pytest.raises(nachsicht.EmptySourceError, match="no file in the archive"):
        nachsicht.profile(packed(tmp_path / "empty.zip", {}))


@pytest.mark.slow
def test_any_byte_of_an_archives_directory_may_be_damaged(text, tmp_path):
    path = packed(tmp_path / "checks.zip", {"größe.csv": text})
    good = path.read_bytes()
    for at in range(good.index(b"PK\1\2"), len(good)):
        path.write_bytes(good[:at] + b"\xff" + good[at + 1 :])
        with suppress(nachsicht.NachsichtError):
            assert nachsicht.profile(path).document.rows == text.count(b"\n") - 1


@pytest.mark.parametrize("at", [6, 46])  # the version that is asked for, and a name's first letter
def test_a_damaged_directory_of_a_workbook_is_read_or_refused(at, tmp_path):
    path = tmp_path / "größe.xlsx"
    book = openpyxl.Workbook()
    book.active.append(["hive", "weight"])
    book.active.append(["H1", 3])
    book.save(path)
    data = bytearray(path.read_bytes())
    start = data.index(b"PK\1\2")
    data[start + 8 : start + 10] = b"\0\x08"  # names in UTF-8
    data[start + at] = 0xFF
    path.write_bytes(data)
    with suppress(nachsicht.NachsichtError):
        assert nachsicht.profile(path).document.rows == 1
