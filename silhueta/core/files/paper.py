"""Drawing on a page of reportlab: lines along points, and text in the page's own letters."""

from __future__ import annotations

from typing import Any

from silhueta.core.geometry.path import Floats


def line_on(canvas: Any, points: Floats, closed: bool, fill: bool = False) -> None:
    """Draw a line along points, (N, 2) in the canvas's own unit; `fill`: its inside instead."""
    canvas.drawPath(
        way_of(canvas, [(points, closed)]), stroke=0 if fill else 1, fill=1 if fill else 0
    )


def way_of(canvas: Any, chains: list[tuple[Floats, bool]]) -> Any:
    """Return chains of points, each with whether it is closed, as one way of the canvas."""
    way = canvas.beginPath()
    for points, closed in chains:
        first, *others = points.tolist()
        way.moveTo(*first)
        for point in others:
            way.lineTo(*point)
        if closed:
            way.close()
    return way


def plain(text: str) -> str:
    """Return text in the letters that the page's own type has."""
    return text.encode("cp1252", "replace").decode("cp1252")
