"""Basso: finds, explains and judges oil starvation in engine logs."""

__version__ = "0.1.0"
