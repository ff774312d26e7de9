"""A rule proved on logged sessions (step 12). A room that is laid out and stands empty."""

# Contract: judged sessions and a rule give dips caught, how long before the lowest point, and false alarms per hour.
