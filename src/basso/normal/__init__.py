"""What the engine's pressure should be: the form, how it is learned, how it drifts and what changed it."""
