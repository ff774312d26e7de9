"""The ten stations, one folder each; they know nothing of each other."""
