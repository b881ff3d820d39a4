"""Compiles the kernels for other machines, as far as to object files: `make cross-compile`.

An argument chooses among them: a pattern of their names. ``--into FOLDER TARGET`` links the kernels
for one of them instead, to be used there.

That a compiler takes them is shown, not that they run. Python's headers are those of this
interpreter; of its configuration what the machine decides is written anew.
"""

import os
import re
import shutil
import subprocess
import sys
import sysconfig
import tempfile
from pathlib import Path

from Cython.Build import cythonize

ROOM = Path("src/nachsicht/kernels/compiled")
TARGETS = (
    "x86_64-linux-gnu.2.17",
    "x86_64-linux-musl",
    "aarch64-linux-gnu",
    "aarch64-linux-musl",
    "s390x-linux-gnu",
    "aarch64-macos",
    "x86_64-macos",
    "x86_64-windows-gnu",
    "aarch64-windows-gnu",
)
#: What Python's own configuration says on Windows, of what the limited API asks.
WINDOWS = """
#define MS_WINDOWS
#define MS_WIN64
#define MS_WIN32
#define NT_THREADS
#define HAVE_PY_SSIZE_T 1
#define SIZEOF_SHORT 2
#define SIZEOF_INT 4
#define SIZEOF_LONG 4
#define SIZEOF_LONG_LONG 8
#define SIZEOF_VOID_P 8
#define SIZEOF_SIZE_T 8
#define SIZEOF_WCHAR_T 2
#define ALIGNOF_MAX_ALIGN_T 8
#define HAVE_WCHAR_H 1
#define HAVE_STDARG_PROTOTYPES 1
#define PLATLIBDIR "lib"
#define PyAPI_FUNC(type) __declspec(dllimport) type
#define PyAPI_DATA(type) extern __declspec(dllimport) type
#define PyMODINIT_FUNC __declspec(dllexport) PyObject *
#define PY_SSIZE_T_MAX 9223372036854775807LL
typedef long long Py_ssize_t;
"""
ZIG = [sys.executable, "-m", "ziglang", "cc", "-target"]
LIMITED = ["-DPy_LIMITED_API=0x030B0000", "-DCYTHON_LIMITED_API=1"]
FLAGS = ["-O1", "-ffp-contract=off", "-Wall", "-Werror=implicit-function-declaration"]
FLAGS += ["-Wno-unused-function", "-Wno-psabi"]


def headers(folder: Path, target: str) -> Path:
    """Python's headers for a machine; everything that is tried has 64 bits."""
    into = folder / f"include-{target}"
    shutil.copytree(sysconfig.get_paths()["include"], into)
    config = into / "pyconfig.h"
    if "windows" in target:
        config.write_text(WINDOWS)
    elif "s390x" in target:
        config.write_text(config.read_text() + "\n#define WORDS_BIGENDIAN 1\n")
    elif "macos" in target:
        config.write_text(re.sub(r"#define HAVE_(CRYPT|FORKPTY).*", "", config.read_text()))
    return into


def sources(folder: Path) -> list[str]:
    """The kernels in C, for the limited API."""
    made = cythonize(
        [source.as_posix() for source in sorted(ROOM.glob("*.pyx"))],
        build_dir=str(folder / "c"),
        compiler_directives={"language_level": 3, "boundscheck": False, "wraparound": False},
        quiet=True,
    )
    return [path for module in made for path in module.sources]


def compiled(compiler: list[str], include: Path, source: str, folder: Path, more: list[str]) -> str:
    """What the compiler says; empty where it is content."""
    command = [*compiler, *FLAGS, *more, *LIMITED]
    command += [f"-I{ROOM}", f"-I{include}", "-c", source, "-o", str(folder / "kernel.o")]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    return done.stderr if done.returncode or "warning" in done.stderr else ""


def linked(target: str, into: Path) -> None:
    """The package with as much as its kernels need, and these for another machine."""
    shutil.rmtree(into, ignore_errors=True)
    package = Path("src/nachsicht")
    for path in (
        "__init__.py",
        "_version.py",
        "kernels/__init__.py",
        "kernels/compiled/__init__.py",
    ):
        (into / "nachsicht" / path).parent.mkdir(parents=True, exist_ok=True)
        shutil.copy(package / path, into / "nachsicht" / path)
    with tempfile.TemporaryDirectory() as name:
        include = headers(Path(name), target)
        for source in sources(Path(name)):
            library = into / "nachsicht/kernels/compiled" / f"{Path(source).stem}.abi3.so"
            command = [*ZIG, f"{target}.2.28", "-O2", "-fPIC", "-shared", *FLAGS[1:], *LIMITED]
            command += [f"-I{ROOM}", f"-I{include}", source, "-o", str(library)]
            subprocess.run(command, check=True, capture_output=True)


def main() -> int:
    """Compile all for all; returns how many could not be."""
    if sys.argv[1:2] == ["--into"]:
        linked(sys.argv[3], Path(sys.argv[2]))
        return 0
    wrong = 0
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        texts = sources(folder)
        ways = [([*ZIG, target], target) for target in TARGETS]
        ways += [([here], here) for here in ("gcc", "clang") if shutil.which(here)]
        ways = [way for way in ways if re.search(sys.argv[1] if sys.argv[1:] else "", way[1])]
        os.environ["ZIG_GLOBAL_CACHE_DIR"] = os.environ["ZIG_LOCAL_CACHE_DIR"] = str(folder / "zig")
        for compiler, target in ways:
            include = headers(folder, target)
            for lanes in ([], ["-DNACHSICHT_PLAIN_LANES"]):
                said = {Path(t).stem: compiled(compiler, include, t, folder, lanes) for t in texts}
                failed = {module: text for module, text in said.items() if text}
                way = f"{target}{', plain lanes' if lanes else ''}"
                print(f"{way:40} {len(said) - len(failed)} of {len(said)}", flush=True)
                for module, text in failed.items():
                    print(f"  {module}: {text.strip()[:600]}")
                wrong += len(failed)
    return wrong


if __name__ == "__main__":
    sys.exit(main() > 0)
