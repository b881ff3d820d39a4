"""Columns by the type that they are stored in: what is accumulated, and the kind it becomes."""
