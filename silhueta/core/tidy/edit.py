"""Edits of one path by hand: nodes moved, added, deleted; segments bent; paths broken and closed.

Each returns new paths and leaves the one it was given as it is. Segments that an edit does not
touch stay the very same.
"""

from __future__ import annotations

from collections.abc import Collection

import numpy as np

from silhueta.core.errors import EditError
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.nearest import nearest
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Floats, Loop, OpenPath, Path, reverse
from silhueta.core.geometry.pieces import Place, chained, opened, point_at, segment_of, stretch
from silhueta.core.tidy.offers.gaps import end_way
from silhueta.core.tidy.offers.nodes import without_nodes

_BENT = 0.2  # bulge of an arc that a line is made into
_NOTHING = 1e-6  # mm
_PLACES = 24  # of a stretch, that what takes its place is held against
_SIMPLER = 1.3  # how much farther off an arc may be than a curve, a line than an arc
_THIRD = 1 / 3


def moved(path: Path, which: Collection[int], dx: float, dy: float) -> Path:
    """Return `path` with some nodes moved by (dx, dy) mm.

    Control points go along with their nodes, arcs keep their bulge.
    """
    nodes, controls = path.nodes.copy(), path.controls.copy()
    chosen = np.zeros(len(nodes), np.bool_)
    chosen[list(which)] = True
    nodes[chosen] += (dx, dy)
    curved = path.kinds == CUBIC
    after = np.roll(chosen, -1)[: len(path.kinds)] if path.closed else chosen[1:]
    before = chosen[: len(path.kinds)]
    controls[curved & before, 0] += (dx, dy)
    controls[curved & after, 1] += (dx, dy)
    _check_apart(path, nodes)
    return type(path)(nodes, path.kinds, path.bulges, controls)


def _check_apart(path: Path, nodes: Floats) -> None:
    ends = np.roll(nodes, -1, axis=0) if path.closed else nodes[1:]
    starts = nodes if path.closed else nodes[:-1]
    if (np.abs(ends - starts).max(axis=1) < 1e-9).any():
        raise EditError("two nodes would lie on each other; delete one of them instead")


def move_handle(path: Path, segment: int, end: int, to: tuple[float, float]) -> Path:
    """Return `path` with a curve's control point (`end` 0 or 1) at `to`, mm.

    Raises
    ------
    EditError
        If the segment is no curve.

    """
    if path.kinds[segment] != CUBIC:
        raise EditError("only a curve has handles; make the segment a curve first")
    controls = path.controls.copy()
    controls[segment, end] = to
    return type(path)(path.nodes, path.kinds, path.bulges, controls)


def with_node(path: Path, place: Place) -> Path:
    """Return `path` with a node more at `place`; its shape stays."""
    count = len(path.kinds)
    if not 1e-6 < place.share < 1 - 1e-6:
        return path
    end = Place(count - 1, 1.0)
    if path.closed:
        start = Place(0, 0.0)
        pieces = [stretch(path, start, place), stretch(path, place, start)]
        return chained(pieces, close=True)
    return chained([stretch(path, Place(0, 0.0), place), stretch(path, place, end)])


def without(path: Path, which: Collection[int], *, straight: bool = False) -> Path | None:
    """Return `path` without some nodes; None when too little would be left.

    Parameters
    ----------
    path : Path
    which : collection of int
        Nodes. Ends of an open path go without anything in their place.
    straight : bool
        True: a line takes the place of what met there. False: a line, an arc or a curve that
        stays near what was there.

    """
    chosen = np.unique(list(which)).astype(np.int64)
    bare = without_nodes(path, chosen)
    if bare is None or straight:
        return bare
    left = np.setdiff1d(np.arange(len(path.nodes)), chosen)
    count = len(path.nodes)
    kinds, bulges, controls = bare.kinds.copy(), bare.bulges.copy(), bare.controls.copy()
    for k in range(len(kinds)):
        a, b = int(left[k]), int(left[(k + 1) % len(left)])
        if b == (a + 1) % count:
            continue
        end = Place(b, 0.0) if b < len(path.kinds) else Place(b - 1, 1.0)
        kinds[k], bulges[k], controls[k] = one_segment(stretch(path, Place(a, 0.0), end))
    return type(path)(bare.nodes, kinds, bulges, controls)


def one_segment(piece: OpenPath) -> tuple[int, float, Floats]:
    """Return kind, bulge and controls of the one segment that stays nearest to an open path."""
    start, end = piece.nodes[0], piece.nodes[-1]
    points = flatten(piece, 1e-3)
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])
    at = np.linspace(0, along[-1], _PLACES + 2)[1:-1]
    places = np.column_stack([np.interp(at, along, points[:, axis]) for axis in (0, 1)])
    none = np.zeros((2, 2))
    controls = _cubic_through(places, at / along[-1], start, end, piece)
    tries: list[tuple[int, float, Floats]] = [
        (LINE, 0.0, none),
        (ARC, _bulge_through(places, start, end), none),
        (CUBIC, 0.0, controls),
    ]
    best, worst = tries[0], np.inf
    for kind, bulge, handles in tries:
        if kind == ARC and not 1e-6 < abs(bulge) < 5:
            continue
        made = OpenPath(
            np.array([start, end]),
            np.array([kind], np.uint8),
            np.array([bulge]),
            handles[None],
        )
        off = max(float(nearest(made, places).distance.max()), _NOTHING)
        if off * _SIMPLER < worst:
            best, worst = (kind, bulge, handles), off
    return best


def _bulge_through(places: Floats, start: Floats, end: Floats) -> float:
    """Return the bulge of the arc from start to end that passes the places in the mean."""
    half = 0.5 * (end - start)
    size = float(half @ half)
    off = places - 0.5 * (start + end)
    u, v = off @ half / size, (off[:, 1] * half[0] - off[:, 0] * half[1]) / size
    weight = np.clip(1 - u * u, 0.05, None)
    flat = -(v * weight).sum() / (weight * weight).sum()
    middle = int(np.argmin(np.abs(u)))
    if abs(flat) < 0.1 or abs(v[middle]) < 1e-9:
        return float(flat)
    # through the place over the middle: u² + v² - 1 = v (1 - t²) / t
    q = (u[middle] ** 2 + v[middle] ** 2 - 1) / v[middle]
    root = np.sqrt(q * q + 4)
    return float(2 / (q + root) if v[middle] < 0 else 2 / (q - root))


def _cubic_through(
    places: Floats, shares: Floats, start: Floats, end: Floats, piece: OpenPath
) -> Floats:
    """Return the control points of a cubic that leaves and arrives as the path does.

    References
    ----------
    P. J. Schneider, "An Algorithm for Automatically Fitting Digitized Curves", Graphics Gems,
    1990, 612-626: least squares for the two handles' lengths.

    """
    leave, arrive = -end_way(piece, False), -end_way(piece, True)
    chord = float(np.hypot(*(end - start)))
    t = shares
    for _ in range(6):
        s = 1 - t
        b0, b1, b2, b3 = s**3, 3 * s * s * t, 3 * s * t * t, t**3
        a1, a2 = b1[:, None] * leave, b2[:, None] * arrive
        rest = places - (b0 + b1)[:, None] * start - (b2 + b3)[:, None] * end
        c11, c12, c22 = (a1 * a1).sum(), (a1 * a2).sum(), (a2 * a2).sum()
        x1, x2 = (rest * a1).sum(), (rest * a2).sum()
        determinant = c11 * c22 - c12 * c12
        lengths = np.array([chord, chord]) * _THIRD
        if abs(determinant) > 1e-12:
            found = np.array([x1 * c22 - x2 * c12, c11 * x2 - c12 * x1]) / determinant
            if (found > 1e-3 * chord).all():
                lengths = found
        controls = np.array([start + lengths[0] * leave, end + lengths[1] * arrive])
        hull = np.vstack([start[None], controls, end[None]])
        on = np.column_stack([b0, b1, b2, b3]) @ hull
        speed = 3 * (
            (s * s)[:, None] * (hull[1] - hull[0])
            + (2 * s * t)[:, None] * (hull[2] - hull[1])
            + (t * t)[:, None] * (hull[3] - hull[2])
        )
        step = ((places - on) * speed).sum(1) / np.maximum((speed * speed).sum(1), 1e-12)
        t = np.clip(t + step, 0.0, 1.0)
    return controls


def as_kind(path: Path, segment: int, kind: int) -> Path:
    """Return `path` with a segment made a line, an arc or a curve; its ends stay."""
    if path.kinds[segment] == kind:
        return path
    start, end = path.starts[segment], path.ends[segment]
    piece = segment_of(path, segment)
    bulge, controls = 0.0, np.zeros((2, 2))
    if kind == ARC:
        if path.kinds[segment] == CUBIC:
            middle = point_at(piece, Place(0, 0.5))[None]
            bulge = _bulge_through(middle, start, end)
        bulge = bulge if 1e-6 < abs(bulge) < 5 else _BENT
    elif kind == CUBIC:
        along = _THIRD * (end - start)
        controls = np.array([start + along, end - along])
        if path.kinds[segment] == ARC:
            points = flatten(piece, 1e-3)
            shares = np.linspace(0, 1, len(points))[1:-1]
            controls = _cubic_through(points[1:-1], shares, start, end, piece)
    return _with_segment(path, segment, kind, bulge, controls)


def _with_segment(path: Path, segment: int, kind: int, bulge: float, controls: Floats) -> Path:
    kinds, bulges, handles = path.kinds.copy(), path.bulges.copy(), path.controls.copy()
    kinds[segment], bulges[segment], handles[segment] = kind, bulge, controls
    return type(path)(path.nodes, kinds, bulges, handles)


def through(path: Path, segment: int, point: tuple[float, float]) -> Path:
    """Return `path` with a segment made the arc through `point`, mm.

    Raises
    ------
    EditError
        If the point lies in line with the segment's ends, beyond them.

    """
    start, end = path.starts[segment], path.ends[segment]
    bulge = _circle_bulge(start, end, np.array(point))
    if abs(bulge) < 1e-9:
        return _with_segment(path, segment, LINE, 0.0, np.zeros((2, 2)))
    if abs(bulge) > 100:
        raise EditError("no arc leads there: the point lies in line with the ends, beyond them")
    return _with_segment(path, segment, ARC, bulge, np.zeros((2, 2)))


def _circle_bulge(start: Floats, end: Floats, point: Floats) -> float:
    """Return the bulge of the arc from start to end through a point: half the angle it sees."""
    one, two = start - point, end - point
    seen = np.arctan2(one[0] * two[1] - one[1] * two[0], one @ two)
    # from a point of the arc, its chord is seen at half the angle that the circle has left
    return float(-np.sign(seen) * np.tan((np.pi - abs(seen)) / 2)) if seen else np.inf


def smooth(path: Path, node: int) -> Path:
    """Return `path` smooth at a node: both segments are curves with handles in one line.

    Raises
    ------
    EditError
        At an end of an open path.

    """
    before, after = _beside(path, node)
    for segment in (before, after):
        path = as_kind(path, segment, CUBIC)
    controls = path.controls.copy()
    at = path.nodes[node]
    back, ahead = controls[before, 1] - at, controls[after, 0] - at
    sizes = np.hypot(*back), np.hypot(*ahead)
    way = ahead / max(sizes[1], 1e-12) - back / max(sizes[0], 1e-12)
    size = float(np.hypot(*way))
    if size < 1e-9:  # a hairpin: across it
        way, size = np.array([-ahead[1], ahead[0]]), float(sizes[1])
    way = way / max(size, 1e-12)
    controls[before, 1], controls[after, 0] = at - sizes[0] * way, at + sizes[1] * way
    return type(path)(path.nodes, path.kinds, path.bulges, controls)


def sharp(path: Path, node: int) -> Path:
    """Return `path` with a corner at a node: curves beside it run straight into it."""
    before, after = _beside(path, node)
    controls = path.controls.copy()
    at = path.nodes[node]
    if path.kinds[before] == CUBIC:
        controls[before, 1] = at + _THIRD * (path.starts[before] - at)
    if path.kinds[after] == CUBIC:
        controls[after, 0] = at + _THIRD * (path.ends[after] - at)
    return type(path)(path.nodes, path.kinds, path.bulges, controls)


def _beside(path: Path, node: int) -> tuple[int, int]:
    if not path.closed and node in (0, len(path.nodes) - 1):
        raise EditError("an end of an open path has nothing to be smooth with")
    return (node - 1) % len(path.kinds), node


def broken_at(path: Path, node: int) -> list[Path]:
    """Return a loop as an open path with both ends at a node, an open path as two."""
    if path.closed:
        return [opened(path, node)]
    last = len(path.nodes) - 1
    if node in (0, last):
        raise EditError("this is an end already")
    return [
        stretch(path, Place(0, 0.0), Place(node, 0.0)),
        stretch(path, Place(node, 0.0), Place(last - 1, 1.0)),
    ]


def without_segment(path: Path, segment: int) -> list[Path]:
    """Return what is left of `path` without a segment: one open path, two, or none."""
    count = len(path.kinds)
    if path.closed:
        if count < 2:
            return []
        return [stretch(path, Place((segment + 1) % count, 0.0), Place(segment, 0.0))]
    left: list[Path] = []
    if segment > 0:
        left.append(stretch(path, Place(0, 0.0), Place(segment, 0.0)))
    if segment < count - 1:
        left.append(stretch(path, Place(segment + 1, 0.0), Place(count - 1, 1.0)))
    return left


def joined(one: Path, one_last: bool, two: Path, two_last: bool, *, merge: bool) -> Path:
    """Return two open paths as one, from an end of each: by a line, or the ends merged half-way.

    The same path twice is closed.
    """
    if one.closed or two.closed:
        raise EditError("only open ends can be joined; a loop has none")
    meet = float(np.hypot(*(one.nodes[-1] - two.nodes[0]))) if one is two else 0.0
    if one is two:
        if len(one.nodes) < (3 if (one.kinds != LINE).any() else 4 if merge else 3):
            raise EditError("this path is too short to be closed")
        return chained([one], close=True, meet=2 * meet + 1e-9 if merge else 1e-9)
    first = one if one_last else reverse(one)
    second = reverse(two) if two_last else two
    meet = float(np.hypot(*(first.nodes[-1] - second.nodes[0])))
    return chained([first, second], meet=meet + 1e-9 if merge else 1e-9)


def started_at(path: Path, node: int) -> Path:
    """Return a loop that starts at another of its nodes."""
    if not isinstance(path, Loop):
        raise EditError("an open path starts at its end; reverse it to start at the other")
    if node == 0:
        return path
    return Loop(
        np.roll(path.nodes, -node, axis=0),
        np.roll(path.kinds, -node),
        np.roll(path.bulges, -node),
        np.roll(path.controls, -node, axis=0),
    )


def redone(path: Path, start: Place, end: Place, fresh: OpenPath) -> Path:
    """Return `path` with its stretch from `start` to `end` replaced by `fresh`, mm.

    On a loop the stretch runs in the loop's own direction. The ends of `fresh` are put on the
    path exactly.
    """
    nodes = fresh.nodes.copy()
    nodes[0], nodes[-1] = point_at(path, start), point_at(path, end)
    new = OpenPath(nodes, fresh.kinds, fresh.bulges, fresh.controls)
    if path.closed:
        return chained([stretch(path, end, start), new], close=True)
    pieces: list[Path] = [new]
    if (start.segment, start.share) > (0, 0.0):
        pieces.insert(0, stretch(path, Place(0, 0.0), start))
    last = Place(len(path.kinds) - 1, 1.0)
    if end < last:
        pieces.append(stretch(path, end, last))
    return chained(pieces)
