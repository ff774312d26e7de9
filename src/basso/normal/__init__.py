"""What an engine's pressure should be: everything that is told about normal, put together for window, command and report."""
