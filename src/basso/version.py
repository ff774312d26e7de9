"""Which Basso this is."""

VERSION = "0.1.0"
