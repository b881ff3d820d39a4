"""Versions that a source keeps itself: commits of a file in git, snapshots of a table."""
