"""Lines drawn with a pen."""
