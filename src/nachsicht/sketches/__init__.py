"""Parts of bounded size, with a stated error, for data that does not fit in memory."""
