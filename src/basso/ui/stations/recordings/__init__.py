"""The Recordings station."""
