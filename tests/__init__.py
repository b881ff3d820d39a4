"""Tests, and what makes data for them."""
