"""An accumulator replayed on a logged lap (step 10). A room that is laid out and stands empty."""

# Contract: a judged session and an accumulator give what each dip would have become, and where it ran dry.
