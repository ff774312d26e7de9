"""The tide: the whole session as one strip of margin."""
