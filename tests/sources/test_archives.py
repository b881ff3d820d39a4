"""Archives: their files are one dataset, and what is wrong with them is said."""

import io
import tarfile
import zipfile

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
        with tarfile.open(path, "w:gz") as archive:
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


def test_names_in_archives_lead_nowhere(text, tmp_path):
    inside = tmp_path / "inside"
    inside.mkdir()
    path = packed(inside / "checks.zip", {"../../escaped.csv": text})
    nachsicht.profile(path).document  # noqa: B018
    assert [p.name for p in tmp_path.rglob("*.csv")] == []


@pytest.mark.parametrize(
    ("content", "error"),
    [(b"PK\3\4 cut off", nachsicht.SourceUnreadable), (None, nachsicht.SourceMissing)],
)
def test_what_cannot_be_unpacked_is_said(content, error, tmp_path):
    path = tmp_path / "checks.zip"
    if content is not None:
        path.write_bytes(content)
    with pytest.raises(error, match=r"checks\.zip"):
        nachsicht.profile(path)
    with pytest.raises(nachsicht.SourceEmpty, match="no file in the archive"):
        nachsicht.profile(packed(tmp_path / "empty.zip", {}))
