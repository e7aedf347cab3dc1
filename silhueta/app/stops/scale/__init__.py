"""The stop Scale."""
