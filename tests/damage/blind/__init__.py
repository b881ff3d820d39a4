"""Damage that the comparison was not written beside, done to real tables drawn by a seed."""
