"""The Corners station."""
