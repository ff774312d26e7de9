"""What the pressure should be, what it must be, and where it was not."""
