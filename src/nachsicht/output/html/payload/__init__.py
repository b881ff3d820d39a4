"""The page's data."""
