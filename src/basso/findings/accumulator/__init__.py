"""What an accumulator would have done on a logged drive, and what one that was armed did."""
