"""What an accumulator stores and delivers, in absolute pressure (step 10). A room that is laid out and stands empty."""

# Contract: size, precharge, exponent and temperature give litres over pressure; gauge pressures only at the edge.
