"""Where on the circuit it happens: passes, thresholds of g, the oil rose, the circuit; put together for window and command."""
