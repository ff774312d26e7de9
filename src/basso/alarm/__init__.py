"""A warning that catches the real dips and stays quiet otherwise (step 12). Laid out; it stands empty."""
