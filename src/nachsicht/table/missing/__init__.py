"""Missing values: which columns together, in which rows, with which levels of others."""
