"""One column: its state, merged in pieces, and its summary."""
