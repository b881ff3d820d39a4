"""What is compiled; everything else about the package stands in pyproject.toml.

Without a compiler, or with ``NACHSICHT_PLAIN=1``, the package is built without: it gives the same
answers, more slowly. ``NACHSICHT_COMPILED=1`` makes it an error not to compile.
"""

import os
import sysconfig
from pathlib import Path

from setuptools import Extension, setup
from setuptools.command.build_ext import build_ext

ROOM = Path("src/nachsicht/kernels/compiled")
MODULES = ("dictionary", "hashing", "normal", "ranking", "sums", "text")

# One build for all versions of Python from here on, where they have a stable ABI.
ABI = {} if sysconfig.get_config_var("Py_GIL_DISABLED") else {"py_limited_api": "cp311"}
ABI_MACROS = [("Py_LIMITED_API", "0x030B0000")] if ABI else []


class BuildForCompiler(build_ext):
    """Adds what each compiler calls its options.

    Products and sums are not to be fused: figures must not depend on the processor.
    """

    def build_extensions(self):
        if self.compiler.compiler_type == "msvc":
            options = ["/O2", "/fp:precise"]
        else:
            options = ["-O3", "-g0", "-ffp-contract=off", "-Wno-psabi"]
        for extension in self.extensions:
            extension.extra_compile_args = options
        super().build_extensions()


def extensions():
    """The compiled kernels; none where they are not wanted."""
    if os.environ.get("NACHSICHT_PLAIN", "0") not in ("", "0"):
        return []
    from Cython.Build import cythonize

    return cythonize(
        [
            Extension(
                f"nachsicht.kernels.compiled.{module}",
                [(ROOM / f"{module}.pyx").as_posix()],
                include_dirs=[ROOM.as_posix()],
                depends=[header.as_posix() for header in ROOM.glob("*.h")],
                define_macros=ABI_MACROS,
                py_limited_api=bool(ABI),
                optional=os.environ.get("NACHSICHT_COMPILED") != "1",
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


compiled = extensions()
setup(
    ext_modules=compiled,
    cmdclass={"build_ext": BuildForCompiler},
    options={"bdist_wheel": ABI} if compiled else {},
)
