"""The stop Build."""
