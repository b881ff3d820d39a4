"""All columns together: preparing, duplicates, missing values, groups, outcome."""
