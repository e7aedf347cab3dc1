"""One worksheet a stop, named as the rooms of the core."""
