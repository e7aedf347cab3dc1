"""Formats: one receiver a format, and the proof by reading back."""
