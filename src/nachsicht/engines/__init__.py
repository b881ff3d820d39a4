"""Engines carry out the computation of a profile: on this machine, or on a cluster."""
