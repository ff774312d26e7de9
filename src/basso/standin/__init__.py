"""A stand-in for the real car, circuit, oil system and logger: physics with a hidden truth, seeded.

It shares no code with the judging half of Basso (the import order forbids it), so that what the judge finds
can be checked against what really happened.
"""
