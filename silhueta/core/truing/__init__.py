"""True up: from what the camera saw to what the part is."""
