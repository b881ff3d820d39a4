"""What happened to a column, told from its two versions."""
