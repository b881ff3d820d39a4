"""Settings: their names and ranges, files, themes and accepted findings."""
