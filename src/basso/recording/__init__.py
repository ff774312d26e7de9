"""One drive's data: channels, what they mean, and the layer of corrections over them."""
