"""The version of the package, the one place where it is written."""

VERSION = "0.2.0"
