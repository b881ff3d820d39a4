"""Keep a profile as a small document; compare with it when the data itself is gone."""

import tempfile
from pathlib import Path

import nachsicht
from nachsicht.demo.files import copy_files

folder = Path(tempfile.mkdtemp())
files = copy_files(folder)

kept = nachsicht.profile(files["hive_checks_2024.csv"], label="2024").write(folder / "2024.json")
files["hive_checks_2024.csv"].unlink()

changes = nachsicht.compare(kept, files["hive_checks_2025.csv"], labels=["2024", "2025"])
print(changes)
