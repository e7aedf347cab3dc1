"""Contours moved aside by half the tool: where its middle goes."""

from __future__ import annotations

import numpy as np

from silhueta.core.build.offset import offset
from silhueta.core.geometry.biarcs import with_arcs
from silhueta.core.geometry.measure import area_of, circle_of
from silhueta.core.geometry.nesting import reverse_loop
from silhueta.core.geometry.path import ARC, Loop
from silhueta.core.plan_settings import Side

CURVE = 0.002  # mm, within which cubics are arcs: a machine knows lines and arcs
_LEAST = 1e-3  # mm of a circle's radius: less is a point, and no way round


def tool_loops(loop: Loop, side: Side, width: float, solid: bool) -> list[Loop]:
    """Return where the middle of a tool goes along a loop, mm, what stays on the right.

    Parameters
    ----------
    loop : Loop
    side : {"outside", "inside", "on"}
    width : float, mm
        What the tool takes away.
    solid : bool
        Whether what stays is inside the loop.

    Returns
    -------
    list of Loop
        None where the tool does not fit in; several where it fits at several places.

    """
    plain = with_arcs(loop, CURVE)
    assert isinstance(plain, Loop)
    if side == "on" or not width:
        inside = counter_clockwise(plain)
        return [reverse_loop(inside) if solid else inside]
    by = width / 2 if side == "outside" else -width / 2
    circle = circle_of(plain)
    if circle is not None:
        (x, y), radius = circle[0].tolist(), circle[1] + by
        if radius <= _LEAST:
            return []
        nodes = np.array([[x + radius, y], [x - radius, y]])
        bulges = np.full(2, -1.0 if solid else 1.0)
        return [Loop.trusted(nodes, np.array([ARC, ARC], np.uint8), bulges)]
    made = offset([counter_clockwise(plain)], by)
    return [reverse_loop(one) for one in made] if solid else made


def counter_clockwise(loop: Loop) -> Loop:
    """Return a loop run counter-clockwise."""
    return loop if area_of(loop) > 0 else reverse_loop(loop)
