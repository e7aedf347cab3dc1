"""Stop Inspect: what is in an outline, and what is wrong with it."""
