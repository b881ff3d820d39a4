"""Files that keep columns: Parquet, Arrow, ORC."""
