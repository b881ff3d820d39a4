"""Figures by Matplotlib, from the same numbers as the page; nothing global is touched."""
