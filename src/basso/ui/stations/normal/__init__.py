"""The Normal station."""
