"""Whether a reading can be believed, and what to do about it where it cannot."""
