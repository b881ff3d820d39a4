"""What is found between two versions."""
