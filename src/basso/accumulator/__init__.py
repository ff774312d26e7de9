"""The accumulator: what its gas does. Absolute pressures inside, gauge pressures at the edge."""
