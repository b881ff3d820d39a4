"""What every part of the package may need: threads, files, clocks, progress."""
