"""What may be told of a dataset to those who must not see its rows."""
