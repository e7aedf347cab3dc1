"""Stop Cut file: how the outline is to be written."""
