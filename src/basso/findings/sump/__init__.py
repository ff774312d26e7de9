"""What a car's logs say of its pan: the flow model calibrated on them, and what changes would do on the same drive."""

from basso.findings.sump.logged import calibration_of, logged_of

__all__ = ["calibration_of", "logged_of"]
