"""Regions: what several outlines cover together, exact where nothing crosses."""
