"""Two drawn jobs of Oficina Maré Alta: a heron in pencil, and the harbour's four-colour emblem.

The heron is a scan at 300 dpi with a break in its line, a coffee stain and dust; the emblem a poor
screenshot. Both pictures are drawn from the shapes below (tools/demo_drawings.py).
"""

from __future__ import annotations

from pathlib import Path as File

import numpy as np

from silhueta.core.datums import DpiDatum, OverallDatum
from silhueta.core.geometry.path import Floats
from silhueta.core.job import Job, PictureFile, TraceSettings

_HERE = File(__file__).parent
HERON_PICTURE = _HERE / "heron_drawing.jpg"
EMBLEM_PICTURE = _HERE / "harbour_emblem.png"
HERON_DPI = 300.0
PAGE_MM = (148.0, 210.0)  # ISO 216 A5
LINE_MM = 0.7
BREAK_MM = 1.5

# the heron's outline, mm on the page, y up; each list is smooth and ends in a corner
HERON: tuple[tuple[tuple[float, float], ...], ...] = (
    ((14, 176), (30, 179.5), (42, 182.5), (51, 187), (60, 187), (70, 183), (84, 177)),
    (
        (84, 177),
        (74, 177),
        (67, 172),
        (66, 162),
        (70, 150),
        (79, 140),
        (92, 131),
        (108, 118),
        (123, 101),
        (136, 78),
    ),
    ((136, 78), (124, 82), (112, 82), (101, 79), (94, 72), (92.5, 55), (92, 40), (92.5, 27)),
    ((92.5, 27), (100, 21), (110, 18.5)),
    ((110, 18.5), (110, 12)),
    ((110, 12), (58, 12)),
    ((58, 12), (58, 18.5)),
    ((58, 18.5), (74, 20), (86, 26)),
    (
        (86, 26),
        (86.5, 40),
        (86, 55),
        (84, 70),
        (76, 78),
        (66, 86),
        (59, 98),
        (58, 110),
        (61, 122),
        (61, 134),
        (56, 147),
        (53, 159),
        (50, 167),
        (43, 172),
        (30, 174),
        (14, 176),
    ),
)
FEATHERS: tuple[tuple[tuple[float, float], ...], ...] = (
    ((72, 112), (86, 116), (101, 108), (118, 92)),
    ((70, 104), (84, 107), (98, 99), (112, 88)),
    ((72, 97), (84, 98), (95, 92), (104, 86)),
)
EYE = (52.0, 180.5, 1.3)


def smooth_curve(points: tuple[tuple[float, float], ...], step: float = 0.05) -> Floats:
    """Return points along a centripetal Catmull-Rom curve through `points`, (N, 2) mm."""
    p = np.array(points, np.float64)
    if len(p) == 2:
        return np.linspace(p[0], p[1], max(2, int(np.hypot(*(p[1] - p[0])) / step)))
    p = np.vstack([2 * p[0] - p[1], p, 2 * p[-1] - p[-2]])
    out = []
    for a, b, c, d in zip(p, p[1:], p[2:], p[3:], strict=False):
        t = np.cumsum([0.0, *(np.hypot(*(v - u)) ** 0.5 for u, v in ((a, b), (b, c), (c, d)))])
        u = np.linspace(t[1], t[2], max(2, int(np.hypot(*(c - b)) / step)), endpoint=False)[:, None]
        ab = (t[1] - u) / (t[1] - t[0]) * a + (u - t[0]) / (t[1] - t[0]) * b
        bc = (t[2] - u) / (t[2] - t[1]) * b + (u - t[1]) / (t[2] - t[1]) * c
        cd = (t[3] - u) / (t[3] - t[2]) * c + (u - t[2]) / (t[3] - t[2]) * d
        one = (t[2] - u) / (t[2] - t[0]) * ab + (u - t[0]) / (t[2] - t[0]) * bc
        two = (t[3] - u) / (t[3] - t[1]) * bc + (u - t[1]) / (t[3] - t[1]) * cd
        out.append((t[2] - u) / (t[2] - t[1]) * one + (u - t[1]) / (t[2] - t[1]) * two)
    return np.vstack([*out, p[-2:-1]])


def heron_outline() -> Floats:
    """Return the middle of the heron's closed line, (N, 2) mm on the page, y up."""
    return np.vstack([smooth_curve(part)[:-1] for part in HERON])


def heron_job() -> Job:
    """Return the heron's job: the pen line's middle, its break closed."""
    picture = PictureFile(HERON_PICTURE.read_bytes(), HERON_PICTURE.name)
    settings = TraceSettings(pen="centre", close_gaps=2.0, speck=2.0, tolerance=0.1, read="line")
    return Job("Heron", picture, (DpiDatum(HERON_DPI, "file"),), trace=settings)


def emblem_job() -> Job:
    """Return the emblem's job: split into its colours, the ground left out."""
    picture = PictureFile(EMBLEM_PICTURE.read_bytes(), EMBLEM_PICTURE.name)
    settings = TraceSettings(split=5, speck=20.0, read="colours")
    return Job("Harbour emblem", picture, (OverallDatum("width", 240.0),), trace=settings)
