"""Dips: where the pressure lay below the floor, and why."""
