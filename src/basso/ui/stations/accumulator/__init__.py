"""The Accumulator station: how much an accumulator covers, for how long, and where it runs dry."""
