"""Columns along many versions: what is read of each, their series, and what happened to them."""
