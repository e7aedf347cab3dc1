"""A cut file itself, run on a simulated table before steel is cut."""
