"""Where on the circuit: laps and places."""
