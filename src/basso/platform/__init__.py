"""What differs between machines: child processes and what they may do."""
