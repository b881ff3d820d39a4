"""Write down what a delivery keeps to, add what is known, and hold the next one against it."""

import json
import tempfile
from pathlib import Path

import nachsicht
from nachsicht.demo.files import copy_files

folder = Path(tempfile.mkdtemp())
files = copy_files(folder)

described = nachsicht.profile(files["hive_checks_2024.csv"]).write(folder / "checks.schema.json")
description = json.loads(described.read_text(encoding="utf-8"))
for field in description["fields"]:
    if field["name"] == "hive_weight":
        field["unit"] = "kg"
        field["description"] = "The whole hive, on the scale."
        field.setdefault("constraints", {})["maximum"] = 120
described.write_text(json.dumps(description, indent=2), encoding="utf-8")

checks = nachsicht.profile(files["hive_checks_2025.csv"], reading={"description": str(described)})
for finding in checks.findings:
    if finding.code == "schema_violation":
        print(f"{finding.title} ({', '.join(finding.columns)})")
        print(f"  {finding.sentence}")
