"""How columns go together."""
