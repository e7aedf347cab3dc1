"""Findings on inside corners that a round tool cannot cut as they are drawn."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from typing import cast

import numpy as np

from silhueta.core.geometry.biarcs import with_arcs
from silhueta.core.geometry.measure import signed_area
from silhueta.core.geometry.nesting import reverse_loop
from silhueta.core.geometry.path import ARC, Floats, Loop
from silhueta.core.geometry.region.segments import segments_of
from silhueta.core.inspection.facing import CURVE
from silhueta.core.inspection.finding import Finder, Finding, Remedy, Scene
from silhueta.core.inspection.limits import least_corner
from silhueta.core.inspection.remedies import opened_corner, rounded
from silhueta.core.inspection.thin import directions, neighbours

# mm that a tool leaves standing in a corner, from which it is told: less is within what a router
# in wood or sheet keeps to (common practice, no source)
_LEFT = 0.05  # of a corner, mm


def _tight(scene: Scene) -> Iterator[Finding]:
    least, why = least_corner(scene.limits)
    if not least:
        return
    for contour, depth in scene.nested:
        if depth % 2 and scene.width_of(contour) < 2 * least:
            continue  # the tool does not go into such a hole at all, and that is told
        loop = with_arcs(contour.path, CURVE)
        assert isinstance(loop, Loop)
        # with what is solid on the left, the tool comes from the right
        if (signed_area(loop) < 0) != bool(depth % 2):
            loop = reverse_loop(loop)
        for x, y, radius, left, inward in _corners(loop, least):
            at = (x, y)
            text = (
                f"an inside corner is sharp, the tool's radius is {least:.2f} mm"
                if not radius
                else f"an inside corner has a radius of {radius:.2f} mm, the tool's is "
                f"{least:.2f} mm"
            )
            remedies = [
                Remedy(
                    "Round it to the tool",
                    partial(rounded, keys=(contour.key,), at=at, radius=least),
                )
            ]
            if not radius:
                centre = np.array(at) + least * np.array(inward)
                remedies.append(
                    Remedy(
                        "Open it with a round relief",
                        partial(opened_corner, keys=(contour.key,), at=at, centre=centre),
                    )
                )
            yield Finding(
                "tight-corner",
                "look",
                at,
                (x - least, y - least, x + least, y + least),
                f"{text}: {left:.2f} mm stay standing; {why}",
                radius,
                least,
                (contour.key,),
                tuple(remedies),
            )


def _corners(
    loop: Loop, least: float
) -> list[tuple[float, float, float, float, tuple[float, float]]]:
    """Return corners and arcs tighter than a radius: x, y, radius, what stays standing, inward.

    `inward` is the unit vector from the corner into what falls away.
    """
    table = segments_of([loop])
    every = np.arange(len(table.kinds))
    before, _ = neighbours(table)
    into, out = directions(table, before, True), directions(table, every, False)
    turn = np.arctan2(into[:, 0] * out[:, 1] - into[:, 1] * out[:, 0], (into * out).sum(1))
    found = []
    half = (np.pi + np.minimum(turn, 0.0)) / 2  # half the angle of what falls away there
    standing = least * (1 / np.maximum(np.sin(half), 1e-9) - 1)
    for k in np.flatnonzero((turn < 0) & (standing > _LEFT)).tolist():
        x, y = table.start[k].tolist()
        found.append((x, y, 0.0, float(standing[k]), _pair(out[k] - into[k])))
    arcs = np.flatnonzero((table.kinds == ARC) & (table.turns < 0))
    radii = np.hypot(*(table.start[arcs] - table.centres[arcs]).T)
    sweep = np.minimum(np.abs(table.turns[arcs]), np.pi - 1e-6)
    left = (least - radii) * (1 / np.cos(sweep / 2) - 1)
    for k, radius, stays in zip(arcs.tolist(), radii.tolist(), left.tolist(), strict=True):
        if radius < least - 1e-9 and stays > _LEFT and len(table.kinds) > 2:
            middle = table.centres[k] + _rotated(table.start[k] - table.centres[k], table.turns[k])
            x, y = middle.tolist()
            found.append((x, y, radius, min(stays, 2 * least), _pair(table.centres[k] - middle)))
    return found


def _rotated(ray: Floats, turn: float) -> Floats:
    """Return a ray turned by half of an arc's sweep."""
    c, s = np.cos(turn / 2), np.sin(turn / 2)
    return np.array([c * ray[0] - s * ray[1], s * ray[0] + c * ray[1]])


def _pair(vector: Floats) -> tuple[float, float]:
    unit = vector / max(float(np.hypot(*vector)), 1e-300)
    return cast("tuple[float, float]", tuple(unit.tolist()))


FINDERS = (
    Finder("tight-corner", "Corner too tight", "inside corners that the tool rounds", _tight),
)
