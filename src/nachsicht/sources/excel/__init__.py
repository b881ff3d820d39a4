"""Workbooks, read by a process of their own."""
