"""The command line: everything the window can compute, with no display."""
