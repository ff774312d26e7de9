"""The Alarm station: a warning proved on the logs. To come."""
