"""Loops, paths and the questions asked of them, in millimetres."""
