"""What a column is: its kind, and what its texts mean."""
