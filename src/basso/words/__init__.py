"""Sentences made from findings, for window, command line and report alike."""
