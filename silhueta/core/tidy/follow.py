"""Lines that follow a picture's edge between two places, as a hand draws them.

Words used here
    cost    of a pixel: small on a strong edge, large on even ground
    window  the part of the picture that is looked at, made smaller where it would be too large
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.fitting.fit import fit_contour, fit_open
from silhueta.core.geometry.path import CUBIC, Floats, Loop, OpenPath, Path
from silhueta.core.geometry.pieces import chained

Way = Literal["edge", "straight", "smooth"]
_LARGEST = 480  # px of a window's side
_ROUND = 16.0  # px round the start that are looked at in any case
_CHEAPEST = 0.03  # cost of the strongest edge
_STRONG = 0.7  # of the window's strong edges, that a full edge has
_ACROSS = 3.5  # px on either side of the edge, where its greys are
_WIDE = 9.0  # px on either side of a dark line's middle, that it is looked for
_FAINT = 8.0  # grey levels between both sides: less is no edge
_ALONE = 0.5  # px between both ways to tell an edge's place, where it is the only one
_CALM = 2.0  # px, over which a line through pixels is calmed before its normals are taken
_STEP = 0.25  # px
_RUN_UP = 8  # points over which a stroke's direction at a click is taken
_CORNER = np.radians(50.0)  # more of a turn at a click is a corner
_NEAR = 6  # px within which a click is put on a dark line
_TOLERANCE = 0.5  # px of a drawn stretch, as of a trace


class Stroke(NamedTuple):
    """What was drawn from one click to the next: the way, and the points (N, 2), px, y down."""

    way: Way
    points: Floats


class Follower:
    """Follows edges from one place, to wherever the hand points."""

    def __init__(
        self,
        grey: NDArray[np.uint8],
        start: tuple[float, float],
        box: tuple[float, float, float, float],
        middle: bool = False,
    ) -> None:
        """Look at `grey` (H, W) in a box (left, top, right, bottom) of it and round `start`, px.

        `middle`: follow the middle of dark lines instead of edges.
        """
        import cv2
        from skimage.graph import MCP_Geometric

        height, width = grey.shape
        x, y = min(max(start[0], 0.0), width - 1.0), min(max(start[1], 0.0), height - 1.0)
        self._left = max(int(min(box[0], x - _ROUND)), 0)
        self._top = max(int(min(box[1], y - _ROUND)), 0)
        right = min(int(max(box[2], x + _ROUND)) + 1, width)
        bottom = min(int(max(box[3], y + _ROUND)) + 1, height)
        part = grey[self._top : max(bottom, self._top + 1), self._left : max(right, self._left + 1)]
        self._shrunk = max(1.0, max(part.shape) / _LARGEST)
        if self._shrunk > 1:
            size = (max(1, round(part.shape[1] / self._shrunk)),
                    max(1, round(part.shape[0] / self._shrunk)))  # fmt: skip
            part = np.asarray(cv2.resize(part, size, interpolation=cv2.INTER_AREA), np.uint8)
        self._shape = part.shape
        self._grey = grey
        self.start = start
        self._middle = middle
        self._costs: Any = MCP_Geometric(self._cost(part), fully_connected=True)
        self._costs.find_costs([self._cell(start)])

    def _cell(self, at: tuple[float, float]) -> tuple[int, int]:
        row = int((at[1] - self._top) / self._shrunk)
        column = int((at[0] - self._left) / self._shrunk)
        rows, columns = self._shape
        return min(max(row, 0), rows - 1), min(max(column, 0), columns - 1)

    def path_to(self, end: tuple[float, float], fine: bool = True) -> Floats:
        """Return the line along the edge to `end`, (N, 2) px, about a pixel from point to point.

        It begins at the start and ends at `end`, and lies on the edge to a part of a pixel; where
        the window was made smaller, only when it is to be `fine`, which takes longer.

        References
        ----------
        E. N. Mortensen and W. A. Barrett, "Intelligent scissors for image composition",
        SIGGRAPH 1995, 191-198: the path of least cost over the gradient.

        """
        cells = np.array(self._costs.traceback(self._cell(end)), np.float64)
        points = (cells[:, ::-1] + 0.5) * self._shrunk + [self._left, self._top]
        points = np.vstack([[self.start], points[1:-1], [end]])
        if self._shrunk > 1.2 and fine:
            points = self._sharpened(points)
        return (on_middle if self._middle else on_edge)(self._grey, points)

    def _cost(self, part: NDArray[np.uint8]) -> NDArray[np.float64]:
        return _line_cost(part) if self._middle else _cost(part)

    def _sharpened(self, points: Floats) -> Floats:
        """Return the line of least cost in the full picture, in a band along a rough one."""
        import cv2
        from skimage.graph import MCP_Geometric

        band = 2 * int(np.ceil(self._shrunk)) + 3
        low = np.maximum(np.floor(points.min(0)).astype(int) - band - 4, 0)
        high = np.minimum(np.ceil(points.max(0)).astype(int) + band + 4, self._grey.shape[1::-1])
        part = np.ascontiguousarray(self._grey[low[1] : high[1], low[0] : high[0]])
        near = np.zeros(part.shape, np.uint8)
        local = np.round(points - low).astype(np.int32)
        cv2.polylines(near, [local], False, 1, thickness=band)
        cost = np.where(near > 0, self._cost(part), -1.0)  # less than nothing: no way there
        rows, columns = part.shape
        cells = [
            (min(max(int(y), 0), rows - 1), min(max(int(x), 0), columns - 1))
            for x, y in (points[0] - low, points[-1] - low)
        ]
        costs: Any = MCP_Geometric(cost, fully_connected=True)
        costs.find_costs(cells[:1], cells[1:])
        found = np.array(costs.traceback(cells[1]), np.float64)[:, ::-1] + 0.5 + low
        return np.vstack([points[:1], found[1:-1], points[-1:]])


def _cost(part: NDArray[np.uint8]) -> NDArray[np.float64]:
    """Return the cost of each pixel of a window."""
    import cv2

    soft = cv2.GaussianBlur(part, (0, 0), 1.0).astype(np.float32)
    strength = np.hypot(cv2.Sobel(soft, cv2.CV_32F, 1, 0), cv2.Sobel(soft, cv2.CV_32F, 0, 1))
    strong = max(_STRONG * float(np.percentile(strength, 99)), 4 * _FAINT)
    share = np.clip(strength / strong, 0.0, 1.0).astype(np.float64)
    return _CHEAPEST + (1 - share) ** 2


def _line_cost(part: NDArray[np.uint8]) -> NDArray[np.float64]:
    """Return the cost of each pixel of a window where dark lines are followed."""
    import cv2

    soft = cv2.GaussianBlur(part, (0, 0), 1.5).astype(np.float64)
    dark, light = np.percentile(soft, (1, 90))
    share = np.clip((soft - dark) / max(light - dark, 2 * _FAINT), 0.0, 1.0)
    cost: NDArray[np.float64] = _CHEAPEST + share**2
    return cost


def on_edge(grey: NDArray[np.uint8], points: Floats) -> Floats:
    """Return points (N, 2), px, moved across their line to half-way between both sides' greys.

    The first and the last stay; where there is no edge, so do the others.
    """
    line = _even(points)
    if line is None:
        return points
    for _ in range(2):
        calm, side, profile, reach = _profiles(grey, line, _ACROSS)
        ends = 1 + round(1.0 / _STEP)
        one, two = profile[:, :ends].mean(axis=1), profile[:, -ends:].mean(axis=1)
        off = _crossing(profile, 0.5 * (one + two), reach)
        # the sum of the greys across tells the place better, where nothing else is across
        share = (profile - two[:, None]) / np.where(one == two, 1.0, one - two)[:, None]
        summed = _STEP * (share.sum(axis=1) - 0.5 * (share[:, 0] + share[:, -1])) - _ACROSS
        off = np.where(np.abs(summed - off) < _ALONE, summed, off)
        off = np.where(np.abs(one - two) >= _FAINT, off, 0.0)
        line = calm + off[:, None] * side
    line[0], line[-1] = points[0], points[-1]
    return line


def on_middle(grey: NDArray[np.uint8], points: Floats) -> Floats:
    """Return points (N, 2), px, moved across their line to the middle of the dark line there.

    The first and the last stay; where there is no line, so do the others.
    """
    line = _even(points)
    if line is None:
        return points
    for _ in range(3):
        calm, side, profile, reach = _profiles(grey, line, _WIDE)
        light = profile.max(axis=1)
        dark = np.sort(profile, axis=1)[:, :3].mean(axis=1)
        ink = np.clip(0.5 * (light + dark)[:, None] - profile, 0.0, None)
        ink *= np.exp(-((reach / _WIDE * 1.5) ** 2))  # what is far off belongs to other lines
        whole = ink.sum(axis=1)
        off = (ink * reach).sum(axis=1) / np.maximum(whole, 1e-9)
        line = calm + np.where(light - dark >= 2 * _FAINT, off, 0.0)[:, None] * side
    line[0], line[-1] = points[0], points[-1]
    return line


def _even(points: Floats) -> Floats | None:
    """Return places a pixel apart along a line of points; None where it is too short for that."""
    along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])
    if along[-1] < 2:
        return None
    at = np.linspace(0, along[-1], max(2, round(float(along[-1]))) + 1)
    return np.column_stack([np.interp(at, along, points[:, axis]) for axis in (0, 1)])


def _profiles(
    grey: NDArray[np.uint8], line: Floats, across: float
) -> tuple[Floats, Floats, Floats, Floats]:
    """Return the line calmed, the normals to its side, and the greys across at steps from it."""
    from scipy.ndimage import gaussian_filter1d, map_coordinates

    calm = gaussian_filter1d(line, _CALM, axis=0, mode="nearest")
    way = np.gradient(calm, axis=0)
    way /= np.maximum(np.hypot(*way.T), 1e-9)[:, None]
    side = np.column_stack([-way[:, 1], way[:, 0]])
    reach = np.arange(-across, across + _STEP / 2, _STEP)
    x = calm[:, 0, None] + reach * side[:, 0, None]
    y = calm[:, 1, None] + reach * side[:, 1, None]
    profile = map_coordinates(grey, [y - 0.5, x - 0.5], output=np.float64, order=1, mode="nearest")
    return calm, side, profile, reach


def _crossing(profile: Floats, level: Floats, reach: Floats) -> Floats:
    """Return where each profile crosses its level, nearest to the middle; 0 where it does not."""
    over = profile - level[:, None]
    a, b = over[:, :-1], over[:, 1:]
    crosses = (a <= 0) != (b <= 0)
    share = a / np.where(np.abs(a - b) > 1e-9, a - b, 1.0)
    where = reach[:-1] + _STEP * share
    best = np.argmin(np.where(crosses, np.abs(where), np.inf), axis=1)
    rows = np.arange(len(profile))
    return np.where(crosses.any(axis=1), where[rows, best], 0.0)


def drawn(strokes: Sequence[Stroke], close: bool, tolerance: float = _TOLERANCE) -> Path:
    """Return strokes, one after the other, as a path in px, y down.

    Stretches along the edge are fitted with lines and arcs as a trace is; straight ones are lines;
    smooth ones one run of curves through their points.

    Raises
    ------
    GeometryError
        If it is too little to make a path.

    """
    pieces: list[Path] = []
    k = 0
    while k < len(strokes):
        way = strokes[k].way
        run = [strokes[k].points]
        while k + 1 < len(strokes) and strokes[k + 1].way == way and way != "straight":
            if way == "edge" and _is_corner(strokes[k].points, strokes[k + 1].points):
                break
            k += 1
            run.append(strokes[k].points[1:])
        points = np.vstack(run)
        if close and len(run) == len(strokes) and way == "edge" and len(points) > 8:
            return fit_contour(np.ascontiguousarray(points[:-1]), tolerance, _noise(points)).loop
        if way == "edge" and len(points) > 4:
            pieces.append(fit_open(np.ascontiguousarray(points), tolerance, _noise(points)))
        elif way == "smooth" and len(points) > 2:
            pieces.append(_curve(points))
        else:
            pieces.append(OpenPath(points))
        k += 1
    if close and len(pieces) == 1 and strokes[0].way == "smooth" and len(pieces[0].nodes) > 3:
        return _curve(pieces[0].nodes[:-1], closed=True)
    return chained(pieces, close=close)


def _noise(points: Floats) -> float:
    """Return the standard deviation of a point across its line, px, from how points jump."""
    jumps = np.hypot(*np.diff(points, 2, axis=0).T)
    return float(np.median(jumps)) / (0.6745 * np.sqrt(6)) if len(jumps) else 0.0


def _is_corner(one: Floats, two: Floats) -> bool:
    """Return whether the line turns sharply from one stroke to the next."""
    before = one[-1] - one[max(len(one) - _RUN_UP, 0)]
    after = two[min(_RUN_UP, len(two)) - 1] - two[0]
    turn = np.arctan2(before[0] * after[1] - before[1] * after[0], before @ after)
    return bool(abs(turn) > _CORNER)


def dark_near(grey: NDArray[np.uint8], x: float, y: float) -> tuple[float, float]:
    """Return the darkest place of a picture, softened, within a few px of (x, y)."""
    import cv2

    left, top = int(x) - 2 * _NEAR, int(y) - 2 * _NEAR
    right, bottom = left + 4 * _NEAR + 1, top + 4 * _NEAR + 1
    if left < 0 or top < 0 or right > grey.shape[1] or bottom > grey.shape[0]:
        return x, y
    part = np.ascontiguousarray(grey[top:bottom, left:right])
    soft = np.asarray(cv2.GaussianBlur(part, (0, 0), 2.0), np.float64)
    rows, columns = np.mgrid[top:bottom, left:right] + 0.5
    soft[np.hypot(columns - x, rows - y) > _NEAR] = np.inf
    best = int(np.argmin(soft))
    return float(columns.ravel()[best]), float(rows.ravel()[best])


def _curve(points: Floats, closed: bool = False) -> Path:
    """Return cubics through points, each leaving along the line between its neighbours.

    References
    ----------
    E. Catmull and R. Rom, "A class of local interpolating splines", Computer Aided Geometric
    Design, 1974, 317-326, with chord lengths so that no loops come of uneven steps.

    """
    if closed:
        before, after = np.roll(points, 1, axis=0), np.roll(points, -1, axis=0)
    else:
        before = np.vstack([points[:1], points[:-1]])
        after = np.vstack([points[1:], points[-1:]])
    way = after - before
    way /= np.maximum(np.hypot(*way.T), 1e-9)[:, None]
    starts = points if closed else points[:-1]
    ends = np.roll(points, -1, axis=0) if closed else points[1:]
    third = np.hypot(*(ends - starts).T)[:, None] / 3
    ways = np.roll(way, -1, axis=0) if closed else way[1:]
    controls = np.stack([starts + third * way[: len(starts)], ends - third * ways], axis=1)
    kinds = np.full(len(starts), CUBIC, np.uint8)
    return (Loop if closed else OpenPath)(points, kinds, np.zeros(len(starts)), controls)
