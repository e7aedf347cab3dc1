"""A part on its ground: which of a photo it is, where its holes are, and where its edge runs."""
