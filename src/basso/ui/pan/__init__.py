"""The pan: where the oil is at the cursor."""
