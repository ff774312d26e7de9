"""How it looks: palettes, type, style."""
