"""Findings for pipelines: test reports, static analysis results, annotations."""
