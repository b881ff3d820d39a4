"""Profiles of one dataset in a folder, in the order of their moments."""
