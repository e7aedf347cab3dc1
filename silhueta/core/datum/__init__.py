"""Stop Scale: from datums to millimetres per pixel."""
