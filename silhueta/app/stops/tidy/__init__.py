"""The stop Tidy."""
