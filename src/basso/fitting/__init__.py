"""Fitting a pressure sensor: threads, the shortest sound chain of parts from port to sensor, and what a line costs in
time."""
