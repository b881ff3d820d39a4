"""Delimited text: encoding, dialect, header and reading."""
