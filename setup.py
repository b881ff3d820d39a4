"""What has to be compiled; everything else about the package stands in pyproject.toml."""

import sys
from pathlib import Path

from Cython.Build import cythonize
from setuptools import Extension, setup

ROOM = Path("src/nachsicht/compute/compiled")

setup(
    ext_modules=cythonize(
        [
            Extension(
                f"nachsicht.compute.compiled.{source.stem}",
                [source.as_posix()],
                extra_compile_args=["/O2"] if sys.platform == "win32" else ["-O3", "-g0"],
            )
            for source in sorted(ROOM.glob("*.pyx"))
        ],
        build_dir="build/cython",
        compiler_directives={
            "language_level": 3,
            "boundscheck": False,
            "wraparound": False,
            "cdivision": True,
            "freethreading_compatible": True,
        },
    )
)
