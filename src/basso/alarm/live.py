"""Samples judged as they come (step 12). A room that is laid out and stands empty."""

# Contract: frames in, alarms and readings out, with the rule of :mod:`basso.alarm.rules`; never later than a sample.
