"""``python -m basso`` is ``basso``."""

from basso.cli.main import entry

if __name__ == "__main__":
    entry()
