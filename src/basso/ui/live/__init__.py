"""A drive as it runs: the pit-wall view, and what it is begun from."""
