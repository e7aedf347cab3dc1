"""Loops of each main colour, which meet without gap or overlap.

Words used here
    border   what two colours have in common; fitted once, and used by both
    meeting  where three or more borders end
    walk     the borders round one area, in order

An area's loop is put together from its borders as they are, so neighbours share every node.
"""

from __future__ import annotations

import math
from typing import Literal, NamedTuple

import numpy as np
import shapely
from numpy.typing import NDArray

from silhueta.core.compiled import compiled
from silhueta.core.fitting.fit import fit_contour, fit_open, polygon
from silhueta.core.geometry.crossing import crossings
from silhueta.core.geometry.path import Floats, Loop, OpenPath, Path, reverse
from silhueta.core.trace.colour.borders import OUTSIDE, Borders, borders
from silhueta.core.trace.colour.split import Split
from silhueta.core.trace.edge.contours import gathered
from silhueta.core.trace.edge.true import noise_along
from silhueta.core.trace.edge.wobble import wobble_of
from silhueta.core.work import Work

_REACH = 2  # px on each side of a crack that are mixed of both colours
_NEAR = 3.0  # px from a meeting, that a border's first sure point may be
_AHEAD = 3  # cracks on each side that tell a border's direction
_NOISE = 0.08  # px of a border's point
_LONG = 150  # points of a border that tell its own noise
_TIMES = 4.5  # the noise from point to point, that it may be over longer ways: waves are none
_ALONG = 1.01  # points, at least, that noise goes along
_CHORD = 0.01  # px, for the search for crossings
# what a border that crosses becomes, one after the other, within a share of the tolerance
_CLOSER: tuple[tuple[Literal["fitted", "lines", "cracks"], float], ...] = (
    ("fitted", 0.5),
    ("lines", 1.0),
    ("lines", 0.5),
    ("cracks", 1.0),
    ("cracks", 0.0),
)
_CLOSE = 1.2  # px of a meeting that a border's own points keep from it


class _How(NamedTuple):
    """How a border is fitted, as `fit_contour` takes it."""

    tolerance: float
    noise: float
    reach: int
    corner: float
    along: float


class ColourLoops(NamedTuple):
    """All loops, and by how much the borders' points are off, px, over how many of them alike."""

    loops: list[ColourLoop]
    noise: float
    along: float


class ColourLoop(NamedTuple):
    """A loop, px, the label of the colour it encloses, and the edge points that it follows."""

    loop: Loop
    label: int
    points: Floats


def colour_loops(
    rgb: NDArray[np.uint8], made: Split, tolerance: float, corner: float, work: Work
) -> ColourLoops:
    """Return the loops of all colours, and how sure they are.

    Parameters
    ----------
    rgb : (H, W, 3) array of uint8
    made : Split
    tolerance : float, px
    corner : float, radians
    work : Work

    """
    found = borders(made.labels)
    colours = np.array(made.colours, np.float64)
    chains = [_points(rgb, made.labels, colours, found, i) for i in range(len(found))]
    meetings = _meetings(found, chains)
    paths: list[Path] = []
    followed: list[Floats] = []
    fits, noise, along = _fits(found, chains, tolerance, corner)
    for i, chain in enumerate(chains):
        work.step(i / max(len(chains), 1))
        path, points = _fitted(found, i, chain, meetings, fits[i])
        paths.append(path)
        followed.append(points)
    _uncross(paths, followed, found, fits, work)
    return ColourLoops(_assembled(found, paths, followed), noise, along)


def _points(
    rgb: NDArray[np.uint8],
    labels: NDArray[np.uint8],
    colours: Floats,
    found: Borders,
    i: int,
) -> Floats:
    """Return a border's points at sub-pixel accuracy, without its ends, px."""
    left, right = (int(v) for v in found.sides[i])
    corners = found.border(i)
    if OUTSIDE in (left, right):
        return corners[1:-1].astype(np.float64) if not found.closed[i] else _square(corners)
    moved = _mixed(
        np.ascontiguousarray(rgb),
        np.ascontiguousarray(labels),
        np.ascontiguousarray(corners),
        colours[left],
        colours[right],
        left,
        right,
        bool(found.closed[i]),
    )
    return moved if len(moved) >= 4 else np.asarray(0.5 * (corners[1:] + corners[:-1]))


def _square(corners: NDArray[np.int64]) -> Floats:
    return corners[:-1].astype(np.float64)


@compiled
def _mixed(
    rgb: NDArray[np.uint8],
    labels: NDArray[np.uint8],
    corners: NDArray[np.int64],
    one: Floats,
    two: Floats,
    left: int,
    right: int,
    closed: bool,
) -> Floats:
    """Return, for each crack that lies squarely across its border, where the mixture puts it."""
    rows, columns = labels.shape
    n = len(corners) - 1
    out = np.zeros((n, 2))
    used = 0
    axis = one - two
    square = (axis * axis).sum()
    for k in range(n):
        ax, ay = corners[k]
        bx, by = corners[k + 1]
        lo, hi = k - _AHEAD, k + 1 + _AHEAD
        if closed:
            cx, cy = corners[hi % n]
            dx, dy = corners[lo % n]
        else:
            cx, cy = corners[min(hi, n)]
            dx, dy = corners[max(lo, 0)]
        wide, high = abs(cx - dx), abs(cy - dy)
        level = ay == by  # the crack runs along x, so the edge is sought along y
        if (level and wide < high) or (not level and high < wide):
            continue
        x, y = 0.5 * (ax + bx), 0.5 * (ay + by)
        total, pure = 0.0, True
        for o in range(-_REACH, _REACH):
            r = ay + o if level else min(ay, by)
            c = min(ax, bx) if level else ax + o
            if r < 0 or c < 0 or r >= rows or c >= columns:
                pure = False
                break
            if labels[r, c] != left and labels[r, c] != right:
                pure = False
                break
            share = 0.0
            for channel in range(3):
                share += (rgb[r, c, channel] - two[channel]) * axis[channel]
            total += min(max(share / max(square, 1e-9), 0.0), 1.0)
        if pure:
            # which colour lies on the low side
            r = ay - 1 if level else min(ay, by)
            c = min(ax, bx) if level else ax - 1
            low_is_left = labels[r, c] == left
            off = (total if low_is_left else 2 * _REACH - total) - _REACH
            off = min(max(off, -1.0), 1.0)
            if level:
                y += off
            else:
                x += off
        out[used, 0], out[used, 1] = x, y
        used += 1
    return out[:used].copy()


def _meetings(found: Borders, chains: list[Floats]) -> dict[tuple[int, int], Floats]:
    """Return where each meeting lies: the middle of where its borders come from."""
    near: dict[tuple[int, int], list[Floats]] = {}
    fixed: set[tuple[int, int]] = set()
    for i, chain in enumerate(chains):
        if found.closed[i]:
            continue
        corners = found.border(i)
        for corner, point in ((corners[0], chain[:1]), (corners[-1], chain[-1:])):
            key = (int(corner[0]), int(corner[1]))
            near.setdefault(key, [])
            if OUTSIDE in found.sides[i]:
                fixed.add(key)
            elif len(point) and np.hypot(*(point[0] - corner)) < _NEAR:
                near[key].append(point[0])
    out: dict[tuple[int, int], Floats] = {}
    for key, points in near.items():
        place = np.array(key, np.float64)
        if points and key not in fixed:
            place = np.mean(points, axis=0)
        elif points:  # on the picture's border: slide along it
            middle = np.mean(points, axis=0)
            rows_fixed = key[1] == 0 or key[1] == int(found.corners[:, 1].max())
            place = np.array([middle[0], place[1]] if rows_fixed else [place[0], middle[1]])
        out[key] = place
    return out


def _uncross(
    paths: list[Path],
    followed: list[Floats],
    found: Borders,
    fits: list[_How],
    work: Work,
) -> None:
    """Put closer ones in place of fitted borders that cross themselves or others.

    At last a border runs along the pixels' own edges: these never cross.
    """
    stage = [0] * len(paths)
    while True:
        work.step(0.9)
        hit = np.unique(crossings(paths, _CHORD).paths).tolist()
        hit = [i for i in hit if stage[i] < len(_CLOSER) and OUTSIDE not in found.sides[i]]
        if not hit:
            return
        for i in hit:
            way, share = _CLOSER[stage[i]]
            tolerance = share * fits[i].tolerance
            stage[i] += 1
            points, closed = followed[i], bool(found.closed[i])
            if way == "cracks":
                inner = found.border(i)[1:-1].astype(np.float64)
                points = (
                    _square(found.border(i))
                    if closed
                    else np.vstack([points[0], inner, points[-1]])
                )
            if way == "fitted":
                how = fits[i]._replace(tolerance=tolerance, noise=_NOISE, along=1.0)
                paths[i] = fit_contour(points, *how).loop if closed else fit_open(points, *how)
            elif closed:
                paths[i] = polygon(points, tolerance)
            else:
                line = shapely.simplify(shapely.LineString(points), tolerance)
                paths[i] = OpenPath(shapely.get_coordinates(line))


def _fitted(
    found: Borders,
    i: int,
    chain: Floats,
    meetings: dict[tuple[int, int], Floats],
    how: _How,
) -> tuple[Path, Floats]:
    if found.closed[i]:
        if OUTSIDE in found.sides[i]:
            return Loop(_straight(chain, True)), chain
        return fit_contour(chain, *how, rough=how.noise > _NOISE).loop, chain
    corners = found.border(i)
    start = meetings[int(corners[0][0]), int(corners[0][1])]
    end = meetings[int(corners[-1][0]), int(corners[-1][1])]
    if OUTSIDE in found.sides[i]:
        points = np.vstack([start, chain, end])
        return OpenPath(_straight(points, False)), points
    clear = (np.hypot(*(chain - start).T) > _CLOSE) & (np.hypot(*(chain - end).T) > _CLOSE)
    points = np.vstack([start, chain[clear], end])
    if np.array_equal(start, end) and len(points) < 4:
        middle = chain[len(chain) // 2]
        points = np.vstack([start, middle, end])
    return fit_open(points, *how), points


def _fits(
    found: Borders, chains: list[Floats], tolerance: float, corner: float
) -> tuple[list[_How], float, float]:
    """Return how each border is fitted, and noise and reach of all together.

    Two colours that are near each other meet noisily.
    """
    rings = [
        chain if found.closed[i] else np.vstack([chain, chain[::-1]])  # there and back
        for i, chain in enumerate(chains)
    ]
    inner = [ring for i, ring in enumerate(rings) if OUTSIDE not in found.sides[i]]
    usual = wobble_of(gathered(inner, np.ones(len(inner)), 0))
    made, squares, count = [], 0.0, 0
    for i, ring in enumerate(rings):
        alone = gathered([ring], np.ones(1), 0)
        own = wobble_of(alone) if len(ring) >= _LONG else usual
        noise = min(own.noise, _TIMES * noise_along(alone))
        if OUTSIDE not in found.sides[i]:
            squares, count = squares + len(ring) * noise**2, count + len(ring)
        noise, along = (noise, max(own.along, _ALONG)) if noise > _NOISE else (_NOISE, 1.0)
        made.append(_How(tolerance, noise, 1, corner, along))
    return made, math.sqrt(squares / max(count, 1)), usual.along


def _straight(points: Floats, closed: bool) -> Floats:
    """Return the corners of a chain along the picture's border."""
    before, after = np.roll(points, 1, 0), np.roll(points, -1, 0)
    a, b = points - before, after - points
    turns = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) > 1e-9
    if not closed:
        turns[0] = turns[-1] = True
    return points[turns]


def _assembled(found: Borders, paths: list[Path], followed: list[Floats]) -> list[ColourLoop]:
    """Return the loops round every area, each area on the left as one walks, seen with y down."""
    out: list[ColourLoop] = []
    leaving: dict[tuple[int, int], list[tuple[int, bool]]] = {}
    for i in range(len(found)):
        left, right = (int(v) for v in found.sides[i])
        if found.closed[i]:
            assert isinstance(paths[i], Loop)
            for label in (left, right):
                if label != OUTSIDE:
                    out.append(ColourLoop(paths[i], label, followed[i]))  # type: ignore[arg-type]
            continue
        corners = found.border(i)
        for forward, corner in ((True, corners[0]), (False, corners[-1])):
            leaving.setdefault((int(corner[0]), int(corner[1])), []).append((i, forward))
    used: set[tuple[int, bool]] = set()
    for i in range(len(found)):
        if found.closed[i]:
            continue
        for forward in (True, False):
            label = int(found.sides[i][0 if forward else 1])
            if label == OUTSIDE or (i, forward) in used:
                continue
            walk = _walk(found, leaving, used, i, forward, label)
            loop = _chained([paths[k] if way else reverse(paths[k]) for k, way in walk])
            points = np.vstack([followed[k] if way else followed[k][::-1] for k, way in walk])
            if loop is not None:
                out.append(ColourLoop(loop, label, points))
    return out


def _walk(
    found: Borders,
    leaving: dict[tuple[int, int], list[tuple[int, bool]]],
    used: set[tuple[int, bool]],
    i: int,
    forward: bool,
    label: int,
) -> list[tuple[int, bool]]:
    """Return the borders round an area from border `i` on, marking them as used."""
    walk: list[tuple[int, bool]] = []
    here = (i, forward)
    while here not in used:
        used.add(here)
        walk.append(here)
        corners = found.border(here[0])
        if not here[1]:
            corners = corners[::-1]
        came = corners[-1] - corners[-2]
        end = (int(corners[-1][0]), int(corners[-1][1]))
        choices = []
        for k, way in leaving[end]:
            if int(found.sides[k][0 if way else 1]) != label or (k, way) == (here[0], not here[1]):
                continue
            ahead = found.border(k) if way else found.border(k)[::-1]
            step = ahead[1] - ahead[0]
            turn = int(came[0] * step[1] - came[1] * step[0])
            choices.append((turn, k, way))
        if not choices:
            break
        # seen with y down a left turn is negative: keep areas that touch at a corner apart
        _, k, way = min(choices)
        here = (k, way)
    return walk


def _chained(paths: list[Path]) -> Loop | None:
    nodes = np.vstack([path.nodes[:-1] for path in paths])
    kinds = np.concatenate([path.kinds for path in paths])
    bulges = np.concatenate([path.bulges for path in paths])
    controls = np.concatenate([path.controls for path in paths])
    if len(nodes) < 2 or (len(nodes) < 3 and not bulges.any()):
        return None
    return Loop(nodes, kinds, bulges, controls)
