"""Changes to a pan, and what each would do to the pickup (step 9). A room that is laid out and stands empty."""

# Contract: given a measured shape and a logged lap, a change (level, baffle, pickup, plate) gives the head over the
# pickup before and after, with an interval; it knows nothing of the stand-in's flow, nor the stand-in of it.
