"""The light tests with every Python, and oldest and newest dependencies: `make versions`.

Each pair has an environment of its own, made by `uv`. An argument chooses among them: a pattern
such as ``3.11.*oldest``. What follows ``--`` is handed to pytest.
"""

import os
import re
import subprocess
import sys
import tempfile
from pathlib import Path

from interpreters import interpreters

#: How `uv` chooses versions: the lowest that is declared, or the highest that there is.
CHOICES = {"oldest": "lowest-direct", "newest": "highest"}
#: Old packages warn of what newer ones of their own needs will take away.
WARNINGS = {"oldest": ["-W", "ignore::DeprecationWarning"], "newest": []}
LIGHT = ["-m", "not slow", "--ignore=tests/browser", "--ignore=tests/engines", "tests"]


def tried(python: str, choice: str, tests: list[str]) -> bool:
    """Whether the tests pass in a new environment."""
    with tempfile.TemporaryDirectory() as name:
        room = Path(name)
        own = room / "env/bin/python"
        install = ["pip", "install", "--quiet", "--python", own, "--resolution", CHOICES[choice]]
        commands = [
            [sys.executable, "-m", "uv", "venv", "--quiet", "--python", python, room / "env"],
            [sys.executable, "-m", "uv", *install, "--group", "test", "."],
            [own, "-c", "from nachsicht import kernels; print('compiled:', kernels.COMPILED)"],
            [own, "-m", "pytest", "-n", "auto", "--dist", "loadfile", *WARNINGS[choice], *tests],
        ]
        path = f"{room / 'env/bin'}{os.pathsep}{os.environ['PATH']}"
        for command in commands:
            if subprocess.run(
                [*map(str, command)], env={**os.environ, "PATH": path}, check=False
            ).returncode:
                return False
    return True


def main() -> int:
    """Try all pairs and print a table; returns how many failed."""
    words = [*sys.argv[1:], "--"]
    end = words.index("--")
    own, handed_on = " ".join(words[:end]), words[end + 1 : -1]
    found = {}
    for name, python in interpreters().items():
        for choice in CHOICES:
            pair = f"{name} {choice}"
            if re.search(own, pair):
                print(f"== {pair}", flush=True)
                found[pair] = (
                    "not on this machine"
                    if python is None
                    else "passed"
                    if tried(python, choice, handed_on or LIGHT)
                    else "FAILED"
                )
    for pair, said in found.items():
        print(f"{pair:24} {said}")
    return sum(said == "FAILED" for said in found.values())


if __name__ == "__main__":
    sys.exit(main() > 0)
