"""Draw a column and a pair into axes of one's own, beside what one draws oneself."""

import tempfile
from pathlib import Path

from matplotlib.figure import Figure

import nachsicht
from nachsicht.demo.files import copy_files

folder = Path(tempfile.mkdtemp())
files = copy_files(folder)
changes = nachsicht.compare(files["hive_checks_2024.csv"], files["hive_checks_2025.csv"])

figure = Figure(figsize=(10, 4), layout="constrained")
left, right = figure.subplots(1, 2)
changes.column("mite_count").figure(ax=left)
changes.relations.pair("brood_frames", "hive_weight").figure(ax=right)
left.set_title("Mites per check")
figure.savefig(folder / "mites.png")

print(changes.verdict)
print("Figure:", folder / "mites.png")
