"""Oil moving between the bays of a measured pan under g (step 9). A room that is laid out and stands empty."""

# Contract: shape, openings and g over time give the volume in each bay; the stand-in car must never import it.
