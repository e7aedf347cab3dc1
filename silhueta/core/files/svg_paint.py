"""How the shapes of an SVG are painted, and what of them is to be seen.

Words used here
    paint   a colour for what a shape encloses, another for its line; None: that is not painted
    bare    the colour of the ground that all is painted on: white

References
----------
W3C Recommendation "Scalable Vector Graphics (SVG) 1.1 (Second Edition)", 16 August 2011, sections
3.3 (painters' model), 11.3 (fill), 11.4 (stroke).
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np

from silhueta.core.errors import GeometryError
from silhueta.core.geometry.crossing import crossings
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import signed_area
from silhueta.core.geometry.nesting import reverse_loop
from silhueta.core.geometry.path import LINE, Loop, OpenPath, Path
from silhueta.core.geometry.region.painted import Painted, Stroke, painted
from silhueta.core.geometry.region.region import Rule, combined, covered
from silhueta.core.tidy.widen import Pen, widened

Rgb = tuple[int, int, int]
_CLEAR = 0.02  # opacity, up to which paint is not seen
_SOLID = 0.95  # opacity, from which nothing shows through
_BROAD_PEN = 0.1  # mm, from which it matters that a stroke is wider one way than the other
_CHORD = 0.002  # mm from an outline that is asked whether it crosses itself
_BARE = 250  # of 255 in each colour, from which paint is as white as the ground
_PATTERN = (128, 128, 128)  # stands for what has no one colour


class Paint(NamedTuple):
    """How one path is painted.

    shape : int
        Paths of one shape have the same: they are filled together.
    width : float, mm
        Of the stroke.
    """

    shape: int
    fill: Rgb | None
    rule: Rule
    stroke: Rgb | None
    width: float
    pen: Pen = Pen()


class Seen(NamedTuple):
    """What is to be seen: paths, the colour of each, and how many shapes are hidden.

    Colours are None where all have one.
    """

    paths: list[Path]
    colours: list[Rgb | None]
    hidden: int


def paint_of(element: Any, shape: int, width: float) -> Paint:
    """Return how an element of svgelements is painted, its stroke `width` mm wide."""
    values = element.values
    whole = _share(values.get("opacity"))
    fill = _colour(element.fill, values.get("fill"), whole * _share(values.get("fill-opacity")))
    stroke = None
    if width > 0 and np.isfinite(width):
        clear = whole * _share(values.get("stroke-opacity"))
        stroke = _colour(element.stroke, values.get("stroke"), clear)
    rule: Rule = "evenodd" if str(values.get("fill-rule")).strip() == "evenodd" else "nonzero"
    return Paint(shape, fill, rule, stroke, width if stroke is not None else 0.0, _pen(values))


def simplified(element: Any, paint: Paint, even: bool) -> list[str]:
    """Return what of how an element is painted no outline can show, in the plural.

    `even`: whether it lies on the page as large across as up.
    """
    values = element.values
    found = []
    whole = _share(values.get("opacity"))
    clear = [
        whole * _share(values.get(name))
        for name, colour in (("stroke-opacity", paint.stroke), ("fill-opacity", paint.fill))
        if colour is not None
    ]
    if min(clear) < _SOLID:
        found.append("see-through paints")
    words = [str(values.get(name)).strip() for name in ("stroke", "fill")]
    if any(word.startswith("url") for word in words):
        found.append("gradients")
    if paint.stroke is not None:
        if str(values.get("stroke-dasharray") or "none").strip() not in ("none", "0"):
            found.append("dash patterns")
        if not even and paint.width > _BROAD_PEN:
            found.append("stretched strokes")
    return found


def _pen(values: Any) -> Pen:
    plain = Pen()
    cap, join = (
        str(values.get("stroke-linecap")).strip(),
        str(values.get("stroke-linejoin")).strip(),
    )
    try:
        limit = float(values.get("stroke-miterlimit") or plain.limit)
    except ValueError:
        limit = plain.limit
    return Pen(
        cap if cap in ("butt", "round", "square") else plain.cap,  # type: ignore[arg-type]
        join if join in ("miter", "round", "bevel") else plain.join,  # type: ignore[arg-type]
        limit if np.isfinite(limit) and limit >= 1 else plain.limit,
    )


def _share(text: Any) -> float:
    word = str(text).strip() if text is not None else "1"
    try:
        value = float(word.removesuffix("%")) / (100 if word.endswith("%") else 1)
    except ValueError:
        return 1.0
    return value if np.isfinite(value) else 1.0


def _colour(colour: Any, word: Any, opacity: float) -> Rgb | None:
    if colour is None or colour.value is None or opacity <= _CLEAR or colour.opacity <= _CLEAR:
        return None
    if str(word).strip().startswith("url"):
        return _PATTERN
    return int(colour.red), int(colour.green), int(colour.blue)


def seen(paths: Sequence[Path], paints: Sequence[Paint], broader: float = np.inf) -> Seen:
    """Return the outlines of what is to be seen of painted paths.

    What is filled becomes regions: what overlaps in one colour is one, what later ones cover is
    gone. Of strokes the middle is a line, where it is to be seen and no region's outline runs
    along it; the lines come after the regions.

    Parameters
    ----------
    paths, paints : sequences of the same length
    broader : float, mm
        Strokes wider than this count as what they cover.

    """
    groups: list[list[Loop]] = []
    colours: list[Rgb | None] = []
    rules: list[Rule] = []
    strokes: list[Stroke] = []
    start = 0
    while start < len(paths):
        paint = paints[start]
        end = start
        while end < len(paths) and paints[end].shape == paint.shape:
            end += 1
        own = paths[start:end]
        if paint.fill is not None:
            groups.append([loop for loop in map(closed, own) if loop is not None])
            colours.append(paint.fill)
            rules.append(paint.rule)
        if paint.stroke is not None and paint.width > broader:
            groups.append([loop for path in own for loop in widened(path, paint.width, paint.pen)])
            colours.append(paint.stroke)
            rules.append("nonzero")
        elif paint.stroke is not None:
            # of a filled shape the end of a path that is open is no part of the line
            strokes.extend(Stroke(path, paint.stroke, len(groups)) for path in own)
        start = end
    every = [*colours, *(stroke.colour for stroke in strokes)]
    if any(_not_bare(colour) is not None for colour in every):
        colours = [_not_bare(colour) for colour in colours]
        strokes = [stroke._replace(colour=_not_bare(stroke.colour)) for stroke in strokes]
    if not groups:
        lines = [stroke for stroke in strokes if stroke.colour is not None]
        return Seen([stroke.path for stroke in lines], [None] * len(lines), 0)
    found = _painted(groups, colours, rules, strokes)
    made: list[Path] = [loop for outline in found.outlines for loop in outline]
    many = len(found.colours) > 1
    own_colours = [
        colour if many and isinstance(colour, tuple) else None
        for colour, outline in zip(found.colours, found.outlines, strict=True)
        for _ in outline
    ]
    own_colours += [
        colour if many and isinstance(colour, tuple) else None for _, colour in found.lines
    ]
    hidden = sum(colours[i] is not None for i in found.hidden)
    return Seen([*made, *(path for path, _ in found.lines)], own_colours, hidden)


def _not_bare(colour: Any) -> Rgb | None:
    return None if colour is None or min(colour) >= _BARE else colour


def _painted(
    groups: list[list[Loop]],
    colours: list[Rgb | None],
    rules: list[Rule],
    strokes: list[Stroke],
) -> Painted:
    """Return what is to be seen; lines that cross too often to be sorted out stay whole."""
    try:
        return painted(groups, colours, rules, strokes)
    except GeometryError:
        if not strokes:
            raise
        found = painted(groups, colours, rules)
        lines = [(stroke.path, stroke.colour) for stroke in strokes if stroke.colour is not None]
        return found._replace(lines=lines)


def unpainted(paths: Sequence[Path], paints: Sequence[Paint]) -> list[Path]:
    """Return the outlines of shapes that nobody says how to paint, each by its fill rule.

    Painted black, as SVG has it, what lies within another could not be seen, and would not have
    been drawn: it is a hole, or an island in one. What crosses is one shape.
    """
    shapes: dict[int, list[Loop]] = {}
    rules: dict[int, Rule] = {}
    lines: list[Path] = []
    for path, paint in zip(paths, paints, strict=True):
        if isinstance(path, Loop):
            shapes.setdefault(paint.shape, []).append(path)
            rules[paint.shape] = paint.rule
        else:
            lines.append(path)
    regions = _covered(list(shapes.values()), [rules[shape] for shape in shapes])
    return [*_one_where_crossing(regions), *lines]


def welded(paths: Sequence[Path]) -> list[Path]:
    """Return outlines drawn as lines, those that cross as one; what lies within is a hole."""
    loops = [path for path in paths if isinstance(path, Loop)]
    made = _one_where_crossing(_covered([[loop] for loop in loops], ["nonzero"] * len(loops)))
    return [*made, *(path for path in paths if not isinstance(path, Loop))]


def _covered(shapes: Sequence[list[Loop]], rules: Sequence[Rule]) -> list[list[Loop]]:
    """Return what each shape covers; a loop that does not cross itself covers what it encloses."""
    import shapely

    alone = [k for k, shape in enumerate(shapes) if len(shape) == 1]
    rings = [flatten(shapes[k][0], _CHORD) for k in alone]
    counts = np.array([len(ring) for ring in rings], np.int64)
    plain = np.zeros(len(shapes), np.bool_)
    if alone and counts.min() >= 3:
        lines = shapely.linearrings(
            np.vstack(rings), indices=np.repeat(np.arange(len(rings)), counts)
        )
        plain[alone] = shapely.is_valid(shapely.polygons(lines))
    found: list[list[Loop]] = []
    for shape, rule, simple in zip(shapes, rules, plain.tolist(), strict=True):
        if simple:
            found.append([shape[0] if signed_area(shape[0]) > 0 else reverse_loop(shape[0])])
        else:
            found.append(covered(shape, rule))
    return found


def _one_where_crossing(regions: Sequence[Sequence[Loop]]) -> list[Loop]:
    """Return the regions' outlines, those that cross each other united."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    made = [loop for region in regions for loop in region]
    owner = np.repeat(np.arange(len(regions)), [len(region) for region in regions])
    met = crossings(made).paths
    links = coo_array((np.ones(len(met)), owner[met].T), (len(regions), len(regions)))
    many, cluster = connected_components(links, directed=False)
    out: list[Loop] = []
    for k in range(many):
        own = [regions[i] for i in np.flatnonzero(cluster == k).tolist()]
        if len(own) == 1:
            out.extend(own[0])
        else:
            out.extend(combined(own, lambda inside: np.logical_or.reduce(inside, 0)))
    return out


def closed(path: Path) -> Loop | None:
    """Return what is filled of a path: an open one is closed by a line. None: that is nothing."""
    if isinstance(path, Loop):
        return path
    assert isinstance(path, OpenPath)
    if len(path.nodes) < (3 if not path.kinds.any() else 2):
        return None
    same = bool((path.nodes[0] == path.nodes[-1]).all())
    if same and len(path.nodes) > 2:
        return Loop(path.nodes[:-1], path.kinds, path.bulges, path.controls)
    return Loop(
        path.nodes,
        np.append(path.kinds, np.uint8(LINE)),
        np.append(path.bulges, 0.0),
        np.concatenate([path.controls, np.zeros((1, 2, 2))]),
    )
