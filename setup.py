"""What has to be compiled; everything else about the package stands in pyproject.toml."""

from pathlib import Path

from Cython.Build import cythonize
from setuptools import Extension, setup

ROOM = Path("src/nachsicht/kernels")
MODULES = ("dictionary", "hashing", "normal", "ranking", "sums", "text")
# Products and sums are not to be fused: figures must not depend on the processor.
OPTIONS = ["-O3", "-g0", "-ffp-contract=off", "-Wno-psabi"]

setup(
    ext_modules=cythonize(
        [
            Extension(
                f"nachsicht.kernels.{module}",
                [(ROOM / f"{module}.pyx").as_posix()],
                include_dirs=[ROOM.as_posix()],
                depends=[header.as_posix() for header in ROOM.glob("*.h")],
                extra_compile_args=OPTIONS,
            )
            for module in MODULES
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
