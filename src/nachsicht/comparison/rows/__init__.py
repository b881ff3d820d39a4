"""What became of single rows between two versions, where both are there as data."""
