"""Questions asked of arcs given by their ends and bulge."""

from __future__ import annotations

import numpy as np

from silhueta.core.geometry.path import ARC, Floats, Path


def arc_centres(starts: Floats, ends: Floats, bulges: Floats) -> tuple[Floats, Floats]:
    """Return centres (M, 2) and radii (M,) in mm of the arcs from `starts` to `ends`.

    With chord c and bulge b = tan(angle / 4): radius = |c| (1 + b²) / (4 |b|), and the centre lies
    on the chord's perpendicular bisector, (1 - b²) / (4 b) chord lengths to the left of it.
    (Autodesk DXF Reference, LWPOLYLINE group 42, gives the bulge's meaning.)
    """
    chord = ends - starts
    left = np.column_stack([-chord[:, 1], chord[:, 0]])
    b = bulges
    centres = (starts + ends) / 2 + left * ((1 - b * b) / (4 * b))[:, None]
    radii = np.hypot(chord[:, 0], chord[:, 1]) * (1 + b * b) / (4 * np.abs(b))
    return centres, radii


def arc_angles(path: Path) -> tuple[Floats, Floats, Floats, Floats]:
    """Return centre (K, 2), radius, start angle and turn (K,) of the K arcs of `path`, radians.

    The turn is signed, positive counter-clockwise.
    """
    arcs = path.kinds == ARC
    starts, ends, bulges = path.starts[arcs], path.ends[arcs], path.bulges[arcs]
    centres, radii = arc_centres(starts, ends, bulges)
    toward = starts - centres
    return centres, radii, np.arctan2(toward[:, 1], toward[:, 0]), 4 * np.arctan(bulges)


def full_circle(path: Path, within: float = 1e-6) -> tuple[Floats, float] | None:
    """Return centre and radius in mm when `path` is one full circle, else None.

    Parameters
    ----------
    path : Path
    within : float
        How far centres and radii of the arcs may differ, as a part of the radius.

    """
    if not path.closed or not (path.kinds == ARC).all():
        return None
    centres, radii, _, turns = arc_angles(path)
    middle, radius = centres.mean(axis=0), float(radii.mean())
    same = max(np.abs(centres - middle).max(), np.abs(radii - radius).max()) <= within * radius
    return (middle, radius) if same and abs(abs(turns.sum()) - 2 * np.pi) < 1e-6 else None
