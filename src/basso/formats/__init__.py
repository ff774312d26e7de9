"""Readers: one file per format, all giving the same immutable recording."""
