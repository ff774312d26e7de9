"""How much of a file is read, in one place: beyond this it is refused early, with what to do instead.

The figures leave room for a day of racing in one log (24 h at 20 Hz, or 6 h at 100 Hz, of 20 channels) and keep one
process under 1.5 GB. They bound what a stranger's file can make Basso do; a log of a session is a hundredth of them.
"""

from __future__ import annotations

MOST_TEXT_BYTES = 400_000_000
"""Text of a log, unpacked."""
MOST_BINARY_BYTES = 1_000_000_000
"""A binary log as it lies on the disk."""
MOST_NUMBERS = 45_000_000
"""Readings in one log, rows times columns."""
MOST_COLUMNS = 5_000
MOST_FRAMES = 20_000_000
"""Bus frames in one log."""
MOST_DATABASE_BYTES = 30_000_000
"""A bus database."""
MOST_UNPACKED_RATIO = 200
"""Bytes that come out of one packed byte; a log of constant readings packs 100 to 1, a bomb 1000 to 1."""
FREE_UNPACKED_BYTES = 32_000_000
"""Up to this the ratio does not matter."""
LONGEST_LOG_S = 7 * 86400.0
"""From the first to the last sample of a log: a clock that jumped by years is no week of driving."""
LONGEST_NAME = 200
"""Characters of a column's name or a fact that are kept."""
LONGEST_LINE_BYTES = 1_000_000
"""A line of a text log."""
READING_MEMORY_BYTES = 1_300_000_000
"""Of the process that reads a binary log."""
READING_S = 18.0
"""To read a binary log, and a second for every two megabytes of it."""
MOST_BUNDLE_BYTES = 1_000_000_000
"""A car's bundle, unpacked; MOST_BUNDLE_PART_BYTES of it in one part."""
MOST_BUNDLE_PART_BYTES = 500_000_000
MOST_RECORDS_BYTES = 50_000_000
"""One list of records in a bundle."""
MOST_BUNDLE_PARTS = 10_000

SPLIT = "export it stint by stint, with fewer channels, or at a lower rate"
"""The remedy for a log that is too large."""


def seconds_for(size_bytes: int) -> float:
    """How long reading a binary log of this size may take, in s."""
    return READING_S + size_bytes / 2e6
