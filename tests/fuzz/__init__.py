"""Files of known truth, made by a seed."""
