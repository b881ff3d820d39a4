"""The version of the package, the one place where it is written."""

VERSION = "0.1.0"
