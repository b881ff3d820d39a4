"""A script of all remedies: one step each, with a comment and a switch."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence

from nachsicht.errors import SettingsError
from nachsicht.i18n import phrase, printable
from nachsicht.remedies.build import Remedy

LIBRARIES = ("pandas", "polars")

_READ = {
    "pandas": """\
def read(path):
    if path.endswith(".parquet"):
        return pd.read_parquet(path)
    return pd.read_csv(path, dtype_backend="numpy_nullable")


def write(frame, path):
    if path.endswith(".parquet"):
        frame.to_parquet(path, index=False)
    else:
        frame.to_csv(path, index=False)
""",
    "polars": """\
def read(path):
    if path.endswith(".parquet"):
        return pl.read_parquet(path)
    return pl.read_csv(path, try_parse_dates=True, infer_schema_length=None)


def write(frame, path):
    if path.endswith(".parquet"):
        frame.write_parquet(path)
    else:
        frame.write_csv(path)
""",
}
_IMPORTS = {"pandas": "import pandas as pd", "polars": "import polars as pl"}


def script_of(remedies: Sequence[Remedy], source: str, library: str = "pandas") -> str:
    """A Python script that mends a table: ``python mend.py SOURCE TARGET``.

    Raises
    ------
    SettingsError
        If the library is another.
    """
    if library not in LIBRARIES:
        raise SettingsError("unknown_script_library", where="library", library=library)
    steps = [getattr(remedy, library) for remedy in remedies]
    numpy = "import numpy as np\n" if any("np." in step for step in steps) else ""
    parts = [
        _about(source),
        f"import sys\n\n{numpy}{_IMPORTS[library]}",
        _switches(remedies),
        _READ[library].rstrip(),
        _mend(remedies, steps),
        'if __name__ == "__main__":\n'
        "    if len(sys.argv) != 3:\n"
        "        sys.exit(__doc__)\n"
        "    write(mend(read(sys.argv[1])), sys.argv[2])",
    ]
    return "\n\n\n".join(parts).replace('"""\n\n\nimport', '"""\n\nimport', 1) + "\n"


def _about(source: str) -> str:
    heading = phrase("remedies.about", source=_plain(source))
    return f'"""{heading}\n\n{phrase("remedies.read_first")}\n"""'


def _switches(remedies: Sequence[Remedy]) -> str:
    lines = [f"    {_key(remedy)!r}: {remedy.usual}," for remedy in remedies]
    return "\n".join([f"#: {phrase('remedies.switches')}", "ON = {", *lines, "}"])


def _mend(remedies: Sequence[Remedy], steps: Sequence[str]) -> str:
    lines = ["def mend(frame):"]
    for remedy, step in zip(remedies, steps, strict=True):
        lines += textwrap.wrap(
            _plain(remedy.comment), 90, initial_indent="    # ", subsequent_indent="    # "
        )
        lines += [f"    if ON[{_key(remedy)!r}]:", textwrap.indent(step, " " * 8)]
    return "\n".join([*lines, "    return frame"])


def _key(remedy: Remedy) -> str:
    return _plain(remedy.name)


def _plain(text: str) -> str:
    """Text of the data in one line that can end neither a comment nor a docstring."""
    shown = printable(" ".join(text.split()))
    return shown.replace("\\", "/").replace('"""', "'''")
