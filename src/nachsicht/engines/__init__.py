"""Engines carry out what is to be computed; they decide nothing."""
