"""A trial day planned: how many laps, in which order, under which conditions (step 11). A room that is laid out and
stands empty."""

# Contract: a car's own scatter and the smallest effect that matters give laps per side and their order.
