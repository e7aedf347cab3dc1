"""The stop Picture."""
