"""Measurements, apart from the tests: they print figures and pass no verdict on themselves."""
