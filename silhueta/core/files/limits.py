"""How much of a stranger's file is read: counted before the work, never found out by waiting.

`docs/limits.md` lists these with all others.
"""

from __future__ import annotations

MOST_SHAPES = 50_000  # shapes or entities, everything unfolded
MANY_SHAPES, MANY_SEGMENTS = 20_000, 50_000  # from which a drawing is asked about: 15 s and more
MOST_NUMBERS = 600_000  # in an SVG's paths: two a node of lines, six a curve
MOST_SEGMENTS = 200_000  # lines, arcs and curves of a DXF
MOST_FIT_POINTS = 2_000  # of a spline through points, which are solved for all at once
MOST_BYTES = {"DXF": 200_000_000, "SVG": 100_000_000}
MOST_FILE = 2_000_000_000  # bytes of any file
MOST_JOB = 100_000_000  # bytes of what a job says, unpacked; its picture not counted
MOST_PAGES = 100_000  # of a file, that a job may name one of
