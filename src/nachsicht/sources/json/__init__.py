"""JSON: a record on each line, lists of records, and objects of columns."""
