"""Compare two deliveries, read the findings in code, and write the page."""

import tempfile
from pathlib import Path

import nachsicht
from nachsicht.demo.files import copy_files

folder = Path(tempfile.mkdtemp())
files = copy_files(folder)

changes = nachsicht.compare(files["hive_checks_2024.csv"], files["hive_checks_2025.csv"])
print(changes.verdict)
for finding in changes.findings:
    print(f"{finding.severity:5}  {finding.title}  {', '.join(finding.columns)}")

print("Page:", changes.write(folder / "changes.html"))
