"""From sources and settings to a result."""
