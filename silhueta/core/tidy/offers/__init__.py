"""What there is to clean up: found, counted, taken."""
