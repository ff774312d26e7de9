"""What a Linux desktop is told of Basso: menu entry, icon, description, and the kind of its bundles."""
