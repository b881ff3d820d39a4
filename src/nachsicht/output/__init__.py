"""Results as texts for people: the page and the terminal summary."""
