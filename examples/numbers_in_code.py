"""Go on with the numbers of the page: parts as frames, and the code that mends a delivery."""

import subprocess
import sys
import tempfile
from pathlib import Path

import nachsicht
from nachsicht.demo.files import copy_files

folder = Path(tempfile.mkdtemp())
files = copy_files(folder)
old, new = files["hive_checks_2024.csv"], files["hive_checks_2025.csv"]

delivery = nachsicht.profile(new)
print(delivery.missing)  # computes the missing values, and nothing else
print(delivery.column("hive_weight").quantiles())

changes = nachsicht.compare(old, new)
print(changes.verdict)

script, mended = folder / "mend.py", folder / "mended.csv"
script.write_text(changes.remedies(), encoding="utf-8")
subprocess.run([sys.executable, script, new, mended], check=True)  # noqa: S603
print("After mending:", nachsicht.compare(old, mended, labels=["2024", "mended"]).verdict)
