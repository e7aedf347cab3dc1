"""Where an edge runs in a picture, how noisy it is."""
