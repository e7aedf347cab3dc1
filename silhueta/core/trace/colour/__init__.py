"""Pictures of a few colours, split."""
