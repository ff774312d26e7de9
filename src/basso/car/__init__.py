"""What the garage knows of one car: its history, cards, build line, oils, circuits, sensors and kept normals."""
