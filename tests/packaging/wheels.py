"""Builds the source distribution and the wheels for Linux on this machine: `make wheels`.

One wheel, for the stable ABI, serves every Python from 3.11 on; one is for musl; and one without
compiled kernels serves all machines for which there is none. Each is checked by what
the trade uses (`auditwheel`, `abi3audit`, `twine`), and those that run here are installed in empty
environments, without a compiler on the path, where the demo is run.
"""

import os
import platform
import re
import shutil
import subprocess
import sys
import tempfile
import zipfile
from io import BytesIO
from pathlib import Path

from elftools.elf.elffile import ELFFile
from interpreters import interpreters

DIST = Path("dist")
MACHINE = platform.machine()


def run(*command: object, **more: str) -> str:
    """What a command says; it must succeed. Tools stand beside this interpreter."""
    path = f"{Path(sys.executable).parent}{os.pathsep}{os.environ['PATH']}"
    done = subprocess.run(
        [*map(str, command)],
        env={**os.environ, "PATH": path, **more},
        capture_output=True,
        text=True,
        check=False,
    )
    if done.returncode:
        sys.exit(f"{' '.join(map(str, command))}\n{(done.stdout + done.stderr)[-3000:]}")
    return done.stdout + done.stderr


def tool(name: str, *arguments: object, **more: str) -> str:
    """A module of this interpreter, as a command."""
    return run(sys.executable, "-m", name, *arguments, **more)


def built(folder: Path, **environment: str) -> Path:
    """A wheel, built from the source distribution."""
    (sdist,) = DIST.glob("*.tar.gz")
    tool("pip", "wheel", "--no-deps", "-w", folder, sdist, **environment)
    (wheel,) = folder.glob("*.whl")
    return wheel


def repaired(wheel: Path) -> None:
    """Tagged by the oldest systems that it runs on, as `auditwheel` finds them."""
    said = tool("auditwheel", "show", wheel)
    found = re.search(r'"(manylinux_\d+_\d+_\w+)"', said)
    if not found:
        sys.exit(said)
    tool("auditwheel", "repair", "--plat", found[1], "--only-plat", "-w", DIST, wheel)
    scanned = re.search(r"\d+ extensions? scanned", tool("abi3audit", "--strict", "-v", wheel))
    print(f"{found[1]}: {scanned[0] if scanned else 'not scanned'}")


def tagged_for_musl(wheel: Path) -> None:
    """Tagged for musl, whose C library must be all that it needs.

    `auditwheel` knows the C library of the machine alone, so that it cannot judge this one.
    """
    with zipfile.ZipFile(wheel) as files:
        for name in files.namelist():
            if name.endswith(".so"):
                dynamic = ELFFile(BytesIO(files.read(name))).get_section_by_name(".dynamic")
                needed = {tag.needed for tag in dynamic.iter_tags("DT_NEEDED")}
                if needed != {"libc.so"}:
                    sys.exit(f"{name} needs {needed}")
    tool("abi3audit", "--strict", wheel)
    tool("wheel", "tags", "--remove", "--platform-tag", f"musllinux_1_2_{MACHINE}", wheel)
    (made,) = wheel.parent.glob("*.whl")
    shutil.copy(made, DIST)


def build() -> None:
    """Everything into an empty folder."""
    shutil.rmtree(DIST, ignore_errors=True)
    tool("build", "--sdist", "--outdir", DIST)
    with tempfile.TemporaryDirectory() as name:
        room = Path(name)
        repaired(built(room / "glibc", NACHSICHT_COMPILED="1"))
        musl = f"{sys.executable} -I -m ziglang cc -target {MACHINE}-linux-musl"
        with_musl = {"CC": musl, "LDSHARED": f"{musl} -shared", "NACHSICHT_COMPILED": "1"}
        tagged_for_musl(built(room / "musl", **with_musl))
        shutil.copy(built(room / "plain", NACHSICHT_PLAIN="1"), DIST)
    print(tool("twine", "check", "--strict", *DIST.iterdir()))


def tried(python: str, wheel: Path) -> None:
    """Installed in an empty environment, with no compiler on the path, and the demo run."""
    with tempfile.TemporaryDirectory() as name:
        room = Path(name)
        run(python, "-m", "venv", room / "env")
        path = {"PATH": str(room / "env" / "bin"), "CC": "/nonexistent"}
        run(room / "env/bin/pip", "install", "--quiet", wheel, **path)
        said = run(
            room / "env/bin/python",
            "-c",
            "from nachsicht import kernels; print(kernels.COMPILED)",
            **path,
        )
        run(room / "env/bin/nachsicht", "demo", room / "demo", **path)
        size = sum(f.stat().st_size for f in (room / "env").rglob("*") if f.is_file())
        print(
            f"{python}: {wheel.name} runs, compiled: {said.strip()}, {size / 2**20:.0f} MB in all"
        )


def main() -> None:
    """Build, check and try."""
    build()
    for wheel in sorted(DIST.iterdir()):
        print(f"{wheel.stat().st_size / 2**20:6.2f} MB  {wheel.name}")
    for name, python in interpreters().items():
        if python is None:
            print(f"{name}: not on this machine")
            continue
        for wheel in [*DIST.glob("*manylinux*"), *DIST.glob("*none-any*")]:
            tried(python, wheel)


if __name__ == "__main__":
    main()
