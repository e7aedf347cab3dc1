"""A path told step by step to whoever draws it: a file, the screen, a list.

What draws paths need not know how they are kept: it says what a line, an arc and a cubic are to it,
and `send` calls it in order.
"""

from __future__ import annotations

from typing import Protocol

from silhueta.core.geometry.path import ARC, CUBIC, Path

Point = tuple[float, float]


class Receiver(Protocol):
    """What is told of a path; coordinates in mm, y up."""

    def move(self, to: Point) -> None:
        """Begin a path."""

    def line(self, to: Point) -> None:
        """Go straight on."""

    def arc(self, to: Point, bulge: float) -> None:
        """Go on along an arc, bulge = tan(angle / 4), positive counter-clockwise."""

    def cubic(self, one: Point, two: Point, to: Point) -> None:
        """Go on along a cubic Bézier curve with these control points."""

    def close(self) -> None:
        """End a closed path; its last segment has led back to the first node."""

    def end(self) -> None:
        """End an open path."""


def send(path: Path, receiver: Receiver) -> None:
    """Tell `receiver` a path, segment by segment."""
    nodes = path.nodes.tolist()
    ends = nodes[1:] + nodes[:1] if path.closed else nodes[1:]
    bulges, controls = path.bulges.tolist(), path.controls.tolist()
    receiver.move((nodes[0][0], nodes[0][1]))
    for i, kind in enumerate(path.kinds.tolist()):
        to = (ends[i][0], ends[i][1])
        if kind == ARC:
            receiver.arc(to, bulges[i])
        elif kind == CUBIC:
            (a, b), (c, d) = controls[i]
            receiver.cubic((a, b), (c, d), to)
        else:
            receiver.line(to)
    if path.closed:
        receiver.close()
    else:
        receiver.end()
