"""Kinds of warning devices and their settings (step 12). A room that is laid out and stands empty."""

# Contract: a rule is a frozen dataclass that says, for pressure and engine speed over time, when it shows.
