"""Plot parts that several stations share."""
