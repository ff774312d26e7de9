"""The Sump station: the oil in the pan under any g. To come."""
