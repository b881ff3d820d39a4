"""Code that mends what findings speak of, for pandas and for Polars."""
