"""Arrow arrays: their types, buffers, dictionaries and hashes."""
