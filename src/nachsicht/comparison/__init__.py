"""What changed between versions, computed from what their profiles keep."""
