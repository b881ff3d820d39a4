"""Which Pythons there are on this machine: by `PYTHONS`, on the path, or in the folder of pyenv."""

import os
import shutil
import subprocess
from pathlib import Path

#: Those that are supported, and their builds without a lock.
NAMES = ("python3.11", "python3.12", "python3.13", "python3.14", "python3.13t", "python3.14t")


def interpreters() -> dict[str, str | None]:
    """The path of each, None where it is not there."""
    given = os.environ.get("PYTHONS", "").split()
    return {Path(name).name: _path(name) for name in given or NAMES}


def _path(name: str) -> str | None:
    kept = Path(os.environ.get("PYENV_ROOT", Path.home() / ".pyenv")) / "versions"
    for path in (shutil.which(name), *sorted(kept.glob(f"*/bin/{name}"))):
        # A shim may lead nowhere.
        if (
            path
            and not subprocess.run([path, "-c", ""], capture_output=True, check=False).returncode
        ):
            return str(path)
    return None
