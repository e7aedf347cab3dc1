"""Theme, fonts and icons."""
