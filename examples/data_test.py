"""A test of data: it fails, and tells why, when a delivery differs in a way that matters."""

import tempfile
from pathlib import Path

import nachsicht
from nachsicht.demo.files import copy_files

files = copy_files(Path(tempfile.mkdtemp()))

try:
    nachsicht.assert_steady(
        files["hive_checks_2024.csv"], files["hive_checks_2025.csv"], stop_on="act"
    )
except AssertionError as failed:
    print(failed)
