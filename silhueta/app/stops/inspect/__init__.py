"""The stop Inspect."""
