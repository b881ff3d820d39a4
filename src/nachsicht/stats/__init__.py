"""Statistics of arrays of numbers."""
