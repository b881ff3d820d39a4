"""The heart: Arrow arrays in, results out. No files, clocks, threads or printing here."""
