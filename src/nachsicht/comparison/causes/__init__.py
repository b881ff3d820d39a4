"""What happened to a column, inferred from its two versions."""
