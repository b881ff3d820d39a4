"""Results, as frozen values that can be written down and read back."""
