"""Strokes with a width as what they cover: the outline round them, in place of their middle."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, NamedTuple

import numpy as np

from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.path import Loop, Path
from silhueta.core.tidy.thin import fitted

BROAD = 0.5  # mm: a stroke that is wider may be meant as what it covers
_CHORD = 0.004  # of a stroke's width, that its outline may be off
_FIT = 0.01  # of it, within which the outline becomes lines and arcs


def broad(widths: Sequence[float], least: float = BROAD) -> list[int]:
    """Return which strokes are wider than `least` mm."""
    return [i for i, width in enumerate(widths) if width > least]


class Pen(NamedTuple):
    """How a stroke ends and turns: SVG 1.1, section 11.4, and what it has where nothing is said."""

    cap: Literal["butt", "round", "square"] = "butt"
    join: Literal["miter", "round", "bevel"] = "miter"
    limit: float = 4.0  # a miter's length over the width, at most


_PLAIN = Pen()
_CAPS: dict[str, Literal["flat", "round", "square"]] = {
    "butt": "flat",
    "round": "round",
    "square": "square",
}
_JOINS: dict[str, Literal["mitre", "round", "bevel"]] = {
    "miter": "mitre",
    "round": "round",
    "bevel": "bevel",
}


def widened(path: Path, width: float, pen: Pen = _PLAIN) -> list[Loop]:
    """Return the outline of a stroke `width` mm wide along `path`: its loops, lines and arcs."""
    import shapely

    points = flatten(path, _CHORD * width)
    line = shapely.LinearRing(points) if path.closed else shapely.LineString(points)
    around = shapely.buffer(
        line,
        width / 2,
        quad_segs=32,
        cap_style=_CAPS[pen.cap],
        join_style=_JOINS[pen.join],
        mitre_limit=pen.limit,
    )
    loops: list[Loop] = []
    for part in shapely.get_parts(around):
        for ring in (part.exterior, *part.interiors):
            made = fitted(Loop(np.array(ring.coords)[:-1]), _FIT * width)
            assert isinstance(made, Loop)
            loops.append(made)
    return loops


def with_broad_widened(
    paths: Sequence[Path], widths: Sequence[float], least: float = BROAD
) -> list[Path]:
    """Return `paths` with each stroke that is wider than `least` mm as its outline."""
    found: list[Path] = []
    for i, path in enumerate(paths):
        width = widths[i] if i < len(widths) else 0.0
        found.extend(widened(path, width) if width > least else [path])
    return found
