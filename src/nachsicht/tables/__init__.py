"""Parts of a profile or comparison on their own: as a table, a figure, a text."""
