"""Findings: rules that read a profile, and the one maker of findings."""
