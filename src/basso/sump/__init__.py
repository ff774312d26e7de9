"""The pan: its shape and where the oil stands in it."""
