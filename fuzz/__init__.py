"""Broken and hostile files for every reader, made by code."""
