"""The stop True up."""
