"""The stop Cut file."""
