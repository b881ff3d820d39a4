"""Damage done to tables on purpose, to see whether it is found and called by its name."""
