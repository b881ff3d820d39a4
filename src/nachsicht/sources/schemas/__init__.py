"""Descriptions that come with the data: Table Schema and CSVW."""
