"""The Accumulator station: how long an accumulator holds the floor. To come."""
