"""Build: weld, cut away, grow, put beside each other."""
