"""Where face and shadow look alike: the throw is told by edges, seen close up.

Words used here
    thing   what is unlike bare ground: a part, the walls that the camera sees, and its shadow
    inset   by how much the part's edge lies inside the thing's, along the normal there
    edge    how clear a step of light runs along the thing's border at some inset, 0 to 1

A thing's border is the part's own edge where the lamp lights it. Where the part throws its shadow,
the edge of its face lies inside by one throw's share along the normal, and by the wall that the
camera sees. Brush marks cross an edge any way, and a shadow's own end is soft: so what is looked
for is a step that stays the same along the border. Of all throws the one wins whose insets meet
clear edges all round: a vote, as in R. O. Duda and P. E. Hart, "Use of the Hough transformation to
detect lines and curves in pictures", Communications of the ACM 15(1), 1972, 11-15.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.path import Floats
from silhueta.core.trace.edge.walls import Walls
from silhueta.core.trace.part.looks import Light, Mask, largest

SHORTEST = 40  # points of a border that is judged
_CLEAR = 0.15  # sharp step of the logarithm of light, over 2 px, that is a clear edge
_WITHIN = 0.5  # of an edge close inside of another, that speaks against that one
_BESIDE = 3, 9  # px inside of an edge where none should be
_ALONG = 9  # points along the border over which a step must stay the same
_WAYS = 48
_STEEP, _UNTOLD = 2.4, 12.0  # longest throw: times the thickness; mm where it is not known
_FOOTS = (0.0, 0.3, 0.6)  # mm, that the thing is larger all round, by the dark at its foot
_EVERY = 3  # points of a border, of which one votes
_SMOOTH = 3.0  # points


class Cast(NamedTuple):
    """The part that explains a thing by one throw.

    part : (H, W) of bool
    score : float
        Share of the part's border at which there is an edge, 0 to 1.
    throw : (x, y), px
    """

    part: Mask
    score: float
    throw: tuple[float, float]


class _Ring(NamedTuple):
    """A border: outward normals, how clear an edge is at each inset (N, M), walls, px."""

    outward: Floats
    edge: Floats
    wall: Floats


def cast(
    thing: Mask, light: Light, mm: float, thickness: float, walls: Walls | None
) -> Cast | None:
    """Return the part whose shadow, thrown one way, makes the thing; None if that has no border.

    Parameters
    ----------
    thing : (H, W) of bool
    light : (H, W, 3) of float32
        Linear, 0 to 1.
    mm, thickness : float, mm
        Side of a pixel, and the part's thickness; 0: not told.
    walls : Walls or None
        In px of this picture.

    """
    longest = (_STEEP * thickness if thickness > 0 else _UNTOLD) / mm
    deepest = int(longest + 2)
    rings = _rings(thing, light, deepest, walls)
    if not rings:
        return None
    outward = np.vstack([ring.outward for ring in rings])
    edge = np.vstack([ring.edge for ring in rings])
    wall = np.concatenate([ring.wall for ring in rings])
    best = (-1.0, 0.0, 0.0, 0.0)
    rows = np.arange(len(edge))
    for foot in _FOOTS:
        for way in range(_WAYS):
            angle = 2 * np.pi * way / _WAYS
            facing = np.maximum(outward @ np.array([np.cos(angle), np.sin(angle)]), 0.0)
            for length in np.arange(0.0, longest + 0.5, 1.0).tolist():
                inset = wall + facing * length + foot / mm
                at = np.minimum(np.round(inset).astype(int), edge.shape[1] - 1)
                score = float(edge[rows, at].mean())
                if score > best[0] + 1e-9:
                    best = (score, length, angle, foot / mm)
    score, length, angle, foot = best
    throw = (length * float(np.cos(angle)), length * float(np.sin(angle)))
    part = _swept(thing, throw)
    if walls is not None and walls.ratio > 0:
        rows_, columns = np.nonzero(thing)
        x, y = walls.under[0] - columns.mean(), walls.under[1] - rows_.mean()
        part &= _swept(thing, (walls.ratio * float(x), walls.ratio * float(y)))
    return Cast(part, score, throw)


def clear(part: Mask, light: Light, shortest: int = SHORTEST) -> float:
    """Return the share of a part's border at which there is an edge, 0 to 1.

    `shortest`: points of a border, from which it counts; of a small one the edges at its other
    side count against it, so that there is hardly more than half.
    """
    rings = _rings(part, light, 0, None, shortest)
    return float(np.concatenate([ring.edge[:, 0] for ring in rings]).mean()) if rings else 0.0


def _rings(
    thing: Mask, light: Light, deepest: int, walls: Walls | None, shortest: int = SHORTEST
) -> list[_Ring]:
    import cv2
    from scipy.ndimage import gaussian_filter1d, uniform_filter1d

    level = np.log(light + np.float32(0.01))
    level = cv2.GaussianBlur(level, (0, 0), 0.8)
    found = cv2.findContours(thing.astype(np.uint8), cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)[0]
    rings = []
    for contour in found:
        if len(contour) < shortest:
            continue
        points = contour[:, 0].astype(np.float64)
        points = np.asarray(gaussian_filter1d(points, _SMOOTH, axis=0, mode="wrap"))
        tangent = np.roll(points, -2, 0) - np.roll(points, 2, 0)
        tangent /= np.maximum(np.hypot(*tangent.T), 1e-9)[:, None]
        # OpenCV walks so that what it encloses is on one side: the mask tells which
        outward = np.column_stack([tangent[:, 1], -tangent[:, 0]])
        probe = np.round(points + 2.5 * outward).astype(int)
        inside = thing[
            np.clip(probe[:, 1], 0, thing.shape[0] - 1), np.clip(probe[:, 0], 0, thing.shape[1] - 1)
        ]
        if inside.mean() > 0.5:
            outward = -outward
        depths = np.arange(-4.0, deepest + 12.0)
        places = points[:, None] - depths[None, :, None] * outward[:, None]
        seen = cv2.remap(
            level,
            places[..., 0].astype(np.float32),
            places[..., 1].astype(np.float32),
            cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_REPLICATE,
        )
        seen = uniform_filter1d(seen, _ALONG, axis=0, mode="wrap")
        short = largest(np.abs(seen[:, 4:-2] - seen[:, 2:-4]))
        long = largest(np.abs(seen[:, 6:] - seen[:, :-6]))
        step = np.clip((short - long / 3) / _CLEAR, 0.0, 1.0)
        near = np.maximum(np.maximum(step[:, :-2], step[:, 1:-1]), step[:, 2:])
        within = np.zeros_like(near)
        for j in range(*_BESIDE):
            within[:, :-j] = np.maximum(within[:, :-j], near[:, j:])
        edge = near - _WITHIN * within
        wall = np.zeros(len(points))
        if walls is not None and walls.ratio > 0:
            shift = (points - np.array(walls.under)) * walls.ratio
            wall = np.maximum(-(shift * outward).sum(1), 0.0)
        rings.append(_Ring(outward[::_EVERY], edge[::_EVERY], wall[::_EVERY]))
    return rings


def _swept(mask: Mask, way: tuple[float, float]) -> Mask:
    """Return the places from which the whole straight way, px, lies in a mask."""
    steps = int(np.ceil(max(abs(way[0]), abs(way[1]))))
    left = mask.copy()
    if steps == 0:
        return left
    done = 1
    whole = np.array(way) / steps
    while done <= steps:  # each turn doubles the way that is known to lie in it
        more = min(done, steps + 1 - done)
        dx, dy = (round(float(v)) for v in whole * more)
        left &= _moved(left, dx, dy)
        done += more
    return left


def _moved(mask: Mask, dx: int, dy: int) -> NDArray[np.bool_]:
    """Return what the mask holds so many px to the right and below of each place."""
    height, width = mask.shape
    made = np.ones_like(mask)
    to = (
        slice(max(-dy, 0), height - max(dy, 0)),
        slice(max(-dx, 0), width - max(dx, 0)),
    )
    from_ = (slice(max(dy, 0), height - max(-dy, 0)), slice(max(dx, 0), width - max(-dx, 0)))
    made[to] = mask[from_]
    return made
