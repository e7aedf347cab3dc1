"""From a picture to a true-size outline: field, contours, lines and arcs, nesting.

Words used here
    level     grey value of the edge
    extent    width and height in px of the outer contours, what an overall datum measures
"""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.datum.edges import Grey
from silhueta.core.datum.fixing import kind_of, mm_per_px
from silhueta.core.datum.scale import Scale
from silhueta.core.datums import Datum, OverallDatum
from silhueta.core.fitting.curves import curved
from silhueta.core.fitting.deviation import Deviation, deviation_of
from silhueta.core.fitting.fit import fit_contour, gate_of
from silhueta.core.fitting.segments import TRIM
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.geometry.nesting import nest, orient
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Floats, Loop
from silhueta.core.job import DEFAULT_TOLERANCE_PX
from silhueta.core.picture.decode import Picture
from silhueta.core.picture.light import light_table
from silhueta.core.trace.colour.loops import colour_loops
from silhueta.core.trace.colour.split import split
from silhueta.core.trace.edge.beside import past_slopes
from silhueta.core.trace.edge.calm import calm
from silhueta.core.trace.edge.contours import PixelContours, gathered
from silhueta.core.trace.edge.field import Field
from silhueta.core.trace.edge.find import Found, Placed, bound, find, refind
from silhueta.core.trace.edge.shown import past_sharpening
from silhueta.core.trace.edge.true import Edge, noise_along, true_edge
from silhueta.core.trace.edge.uneven import evened
from silhueta.core.trace.edge.walls import Walls, at_the_top
from silhueta.core.trace.edge.wobble import ROOM, ROOM_OF_PART, wobble_of
from silhueta.core.trace.mend import mended
from silhueta.core.trace.pen.lines import PenLines
from silhueta.core.trace.pen.middles import bridged, lines_of, middles, one_edge
from silhueta.core.trace_settings import Keep, TraceSettings
from silhueta.core.work import Work

_DEEPEST = {"all": 1_000_000, "outer": 0, "outer+holes": 1}
_NOISY = 0.01  # px, from which noise was added to what a program drew
_TIGHTEST, _STEPS = 0.25, 3  # px; tolerances tried from there on, in each doubling
_TOO_MANY = 300_000  # edge points, from which only the tolerance itself is tried
_TIMES = 4.5  # the noise from point to point, that it may be over longer ways
_ALONG = 1.01  # points, at least, that noise goes along
_ERROR_PX, _ERROR_MM = 0.8, 0.08  # slow errors of a photo's edge that are believed, at most


class Traced(NamedTuple):
    """What a trace gives: the outline in mm and how it was come by."""

    outline: Outline
    scale: Scale
    level: float  # grey value of the edge, 0 to 255
    dropped: int  # loops under the speck limit
    noise_px: float  # standard deviation of a point of the edge
    rims: int  # dark along the picture's border, left out
    deviation: Deviation  # mm, loops in the outline's order
    line_width: float | None = None  # mm, of a drawing's pen
    tolerance: float = 0.0  # mm, that was kept; 0: not told
    along_px: float = 0.0  # over which the noise goes along; 0: not told


def trace(
    picture: Picture,
    datum: Datum,
    settings: TraceSettings,
    work: Work | None = None,
    *,
    kind: str | None = None,
    mask: NDArray[np.bool_] | None = None,
    walls: Walls | None = None,
    face: NDArray[np.uint8] | None = None,
    patches: Placed = (),
    ready: PixelContours | None = None,
) -> Traced:
    """Return the outline of the part in `picture`, true to size.

    Parameters
    ----------
    picture : Picture
    datum : Datum
        What fixes the scale.
    settings : TraceSettings
    work : Work, optional
        Told of progress, asked for a stop.
    kind : str, optional
        What fixed the scale, where `datum` is only what came of it.
    mask : (H, W) array of bool, optional
        Where ground and part are; the threshold is found there.
    walls : Walls, optional
        Of a thick part, seen in `face`, the picture before anything was painted out.
    patches : sequence of (Patch, (N, 2) px)
        With their corners in `picture`.
    ready : PixelContours, optional
        The edge, where it was found already; patches lie over it and make it be sought anew.

    Returns
    -------
    Traced
        Loops counter-clockwise round what is solid, clockwise round holes; none crosses itself
        or another.

    Raises
    ------
    TraceError
        If there is no edge, nothing larger than the speck limit, or far too much of it.
    ScaleError
        If the datum cannot fix the scale.
    StoppedError
        If a stop was asked for.

    """
    work = work or Work()
    if ready is not None and not patches and settings.pen is None:
        got = Found(
            Field(picture.grey, 127.5, True, True, 128.0), ready, mm_per_px(datum, (0, 0)), 0
        )
        walls = None
    else:
        ready = None
        thick = walls is not None
        got = find(picture, datum, settings, mask, thick=thick, patches=patches, work=work)
    size = got.size
    tolerance = (settings.tolerance / size) if settings.tolerance else DEFAULT_TOLERANCE_PX
    if settings.pen is not None:
        with work.stage("pen line"):
            drawn = lines_of(got, settings)
        if settings.pen == "centre":
            scale = Scale(size, picture.height, kind or kind_of(datum))
            return _middles(got, drawn, settings, tolerance, scale, work)
        with work.stage("contours"):
            got = refind(got, bridged(got.field, drawn), settings)
            got = got._replace(contours=one_edge(got.contours, settings.pen == "inner"))
    with work.stage("contours"):
        found = _edge(got, settings, face, walls)
        thick_only = walls is not None and ready is None
        wobbling = _Wobbling(found, settings, size, seen=ready is not None, plain=thick_only)
        tried = _ladder(settings, tolerance, len(found.contours.points))
        (edge, fine), *closer = map(wobbling.at, tried)
        tolerance = max(tolerance, fine)
    width = None if settings.pen is None else drawn.width * size
    with work.stage("fit"):
        fitting = _Fitting(edge, fine, settings, ready is not None, tuple(closer))
        loops = _fit_all(fitting, work)
    with work.stage("check"):
        allowed = gate_of(tolerance, edge.noise)
        loops = mended(got.contours, loops, allowed, work).loops
        if isinstance(datum, OverallDatum):
            left, bottom, right, top = bounding_box(_solid(loops, got.contours))
            size = mm_per_px(datum, (right - left, top - bottom))
        scale = Scale(size, picture.height, kind or kind_of(datum))
        outline, order = _outline([_to_mm(scale, loop) for loop in loops], settings.keep)
        edges = [edge.contours.contour(i) for i in order]
        off = deviation_of(edges, [loops[i] for i in order], TRIM + edge.reach).in_mm(scale)
    return Traced(
        outline,
        scale,
        got.field.grey,
        got.contours.dropped,
        edge.noise,
        got.rims,
        off,
        width,
        tolerance * size,
        edge.along,
    )


def _middles(
    got: Found,
    drawn: PenLines,
    settings: TraceSettings,
    tolerance: float,
    scale: Scale,
    work: Work,
) -> Traced:
    """Return the middles of pen lines as an outline; lines with free ends stay open."""
    size = scale.mm_per_px
    with work.stage("fit"):
        paths, points = middles(drawn, settings, tolerance, work)
    with work.stage("check"):
        moved = [scale.path_to_mm(path) for path in paths]
        closed = [i for i, path in enumerate(moved) if isinstance(path, Loop)]
        outline, order = _outline([moved[i] for i in closed], settings.keep)  # type: ignore[misc]
        loose = [i for i in range(len(moved)) if i not in set(closed)]
        contours = (*outline.contours, *(Contour(moved[i]) for i in loose))
        order = [closed[i] for i in order] + loose
        off = deviation_of([points[i] for i in order], [paths[i] for i in order], 0.0).in_mm(scale)
    return Traced(
        Outline(contours),
        scale,
        got.field.grey,
        got.contours.dropped,
        0.0,
        got.rims,
        off,
        drawn.width * size,
    )


def trace_colours(
    rgb: NDArray[np.uint8],
    scale: Scale,
    settings: TraceSettings,
    work: Work | None = None,
    overall: OverallDatum | None = None,
) -> Traced:
    """Return the loops of a picture's main colours, which meet without gap or overlap.

    Parameters
    ----------
    rgb : (H, W, 3) array of uint8
    scale : Scale
    settings : TraceSettings
        With `split` colours.
    work : Work, optional
    overall : OverallDatum, optional
        What fixes the scale in place of `scale`: it measures what is cut, not the ground.

    Returns
    -------
    Traced
        Loops of the colour round the picture's border, which is taken for the ground, are skipped;
        what runs along that border itself is left out.

    Raises
    ------
    TraceError
        If the picture has fewer colours.

    """
    work = work or Work()
    size = scale.mm_per_px
    tolerance = (settings.tolerance / size) if settings.tolerance else DEFAULT_TOLERANCE_PX
    with work.stage("colours"):
        made = split(rgb, settings.split, settings.speck / size**2)
        bound(*_borders_of(made.labels), settings, size)
    with work.stage("fit"):
        found, noise, along = colour_loops(rgb, made, tolerance, np.radians(settings.corner), work)
    with work.stage("check"):
        labels = made.labels
        frame = np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]])
        ground = int(np.bincount(frame).argmax())
        high, wide = labels.shape
        if overall is not None:
            cut = [one.loop for one in found if one.label != ground]
            left, bottom, right, top = bounding_box(cut or [one.loop for one in found])
            size = mm_per_px(overall, (right - left, top - bottom))
            scale = Scale(size, scale.height_px, scale.kind)
        contours: list[Contour] = []
        edges: list[Floats] = []
        loops: list[Loop] = []
        rims = 0
        for label, colour in enumerate(made.colours):
            mine = [one for one in found if one.label == label]
            inner = [one for one in mine if label != ground or not _framing(one.loop, wide, high)]
            rims += len(mine) - len(inner)
            outline, order = _outline([_to_mm(scale, one.loop) for one in inner], settings.keep)
            for contour in outline.contours:
                taken = contour.taken and label != ground
                contours.append(replace(contour, taken=taken, colour=colour))
            edges += [inner[i].points for i in order]
            loops += [inner[i].loop for i in order]
        off = deviation_of(edges, loops, TRIM + 1).in_mm(scale)
    drawn = Outline(tuple(contours))
    return Traced(drawn, scale, 128.0, 0, noise, rims, off, along_px=along)


def _borders_of(labels: NDArray[np.uint8]) -> tuple[int, NDArray[np.int32]]:
    """Return how many pixels' sides lie between two colours, and the areas of one colour, px."""
    import cv2

    points = sum(int((np.diff(labels, axis=axis) != 0).sum()) for axis in (0, 1))
    areas = []
    for label in range(int(labels.max()) + 1):
        mask = (labels == label).astype(np.uint8)
        areas.append(cv2.connectedComponentsWithStats(mask, connectivity=4)[2][1:, -1])
    return points, np.concatenate(areas)


def _framing(loop: Loop, wide: int, high: int) -> bool:
    """Return whether a loop has two of its nodes in corners of the picture."""
    corner = (np.abs(loop.nodes / [wide, high] - 0.5) > 0.5 - 1e-9).all(axis=1)
    return bool(corner.sum() >= 2)


def _edge(
    got: Found, settings: TraceSettings, face: NDArray[np.uint8] | None, walls: Walls | None
) -> Edge:
    """Return the contours where the edge really is, calmed where that is wanted."""
    edge = Edge(got.contours, 0.0, 1)
    if walls is not None and face is not None:
        import cv2

        grey: Grey = cv2.LUT(face, light_table()) if settings.light == "linear" else face
        top = _with_points(got.contours, at_the_top(_pieces(got.contours), grey, walls))
        edge = Edge(top, noise_along(top), 1)
    elif not got.field.exact:
        edge = true_edge(got.field.values, got.contours)
        if settings.light == "linear":
            moved = past_slopes(got.field.values, edge.contours)
            seen = face if settings.mode == "threshold" and settings.pen is None else None
            edge = edge._replace(contours=past_sharpening(seen, moved))
    if settings.smooth > 0:
        calmed = [calm(part, settings.smooth / got.size) for part in _pieces(edge.contours)]
        edge = edge._replace(contours=_with_points(edge.contours, calmed))
    return edge


class _Wobbling:
    """How an edge's errors go along it, and what that asks for at each tolerance.

    What a program drew has none, unless something added noise; then neighbours err together, too.
    """

    def __init__(
        self, edge: Edge, settings: TraceSettings, size: float, *, seen: bool, plain: bool
    ) -> None:
        """Measure the edge; `seen` as a photo's part is, or `plain`, to be left as it is."""
        self._edge = edge
        self._free = settings.tolerance is None
        self._seen = seen or settings.light == "linear"
        self._room = ROOM_OF_PART if seen else ROOM
        quiet = plain or not (self._seen or edge.noise >= _NOISY)
        most = min(_ERROR_PX, _ERROR_MM / size)
        self._wobble = None if quiet else wobble_of(edge.contours, most)

    def at(self, tolerance: float) -> tuple[Edge, float]:
        """Return the edge with its noise, and the tolerance that suits it, px."""
        edge, wobble = self._edge, self._wobble
        if wobble is None:
            return edge, tolerance
        if not self._seen:
            # waves that a program drew are no noise, however even they are
            noise = min(max(edge.noise, wobble.noise), _TIMES * edge.noise)
            return edge._replace(noise=noise, along=max(wobble.along, _ALONG)), tolerance
        if self._free:
            tolerance = max(tolerance, self._room * wobble.error)
        noise, along = wobble.at(tolerance, self._room)
        return edge._replace(noise=noise, along=along, rough=True), tolerance


def _ladder(settings: TraceSettings, tolerance: float, points: int) -> list[float]:
    """Return the tolerances, px, that are tried, the loosest first.

    One set by hand is rounded down to one of a few, and all closer ones of them are tried besides:
    so a looser one has every outline to choose from that a closer one had.
    """
    if settings.tolerance is None or tolerance <= _TIGHTEST or points > _TOO_MANY:
        return [tolerance]
    count = int(np.floor(_STEPS * np.log2(tolerance / _TIGHTEST) + 1e-9)) + 1
    return [_TIGHTEST * 2 ** (k / _STEPS) for k in reversed(range(count))]


def _pieces(found: PixelContours) -> list[Floats]:
    return [found.contour(i) for i in range(len(found))]


def _with_points(found: PixelContours, points: Sequence[Floats]) -> PixelContours:
    return gathered(points, found.areas, found.dropped)


class _Fitting(NamedTuple):
    """What is fitted, and how closely."""

    edge: Edge
    tolerance: float  # px
    settings: TraceSettings
    photo: bool = False  # a part's edge, noisy where its shadow is; a drawing's two edges are near
    tighter: tuple[tuple[Edge, float], ...] = ()  # what the same is as closely as usual, and closer

    def loop(self, i: int) -> Loop:
        """Return contour `i` fitted, with curves where they may be."""
        made = self._as_close(i)
        for edge, tolerance in self.tighter:  # whoever allows more gets no more segments
            closer = self._replace(edge=edge, tolerance=tolerance)._as_close(i)
            made = closer if len(closer.nodes) < len(made.nodes) else made
        if self.settings.fit == "curves":
            points = self.edge.contours.contour(i)
            return curved(made, points, max(self.tolerance, 3 * self.edge.noise))
        return made

    def _as_close(self, i: int) -> Loop:
        """Return contour `i` as lines and arcs as close as the tolerance."""
        points, edge = self.edge.contours.contour(i), self.edge
        if edge.rough and self.photo:
            points = evened(points, edge.noise, lambda times: self._fitted(points, times))
        return self._fitted(points)

    def _fitted(self, points: Floats, times: float = 1.0) -> Loop:
        """Return a contour fitted as so many times the edge's noise needs it."""
        return fit_contour(
            points,
            times * self.tolerance,
            times * self.edge.noise,
            self.edge.reach,
            np.radians(self.settings.corner),
            self.edge.along,
            self.edge.rough,
        ).loop


def _fit_all(fitting: _Fitting, work: Work) -> list[Loop]:
    found = fitting.edge.contours
    order = np.argsort(-np.diff(found.first))  # the longest first, so that the threads end together
    done: dict[int, Loop] = {}
    total = max(int(found.first[-1]), 1)
    finished = 0

    def one(i: int) -> tuple[int, Loop]:
        work.step(finished / total)
        return i, fitting.loop(i)

    with ThreadPoolExecutor(2) as pool:
        for i, loop in pool.map(one, order.tolist()):
            done[i] = loop
            finished += int(found.first[i + 1] - found.first[i])
            work.step(finished / total)
    return [done[i] for i in range(len(found))]


def _solid(loops: Sequence[Loop], found: PixelContours) -> list[Loop]:
    return [loop for loop, area in zip(loops, found.areas, strict=True) if area > 0] or list(loops)


def _to_mm(scale: Scale, loop: Loop) -> Loop:
    moved = scale.path_to_mm(loop)
    assert isinstance(moved, Loop)
    return moved


def _outline(loops: list[Loop], keep: Keep) -> tuple[Outline, list[int]]:
    """Return the outline, outermost loops first, and which loop each of its contours is."""
    nesting = nest(loops)
    loops = orient(loops, nesting)
    order = np.lexsort((np.arange(len(loops)), nesting.depth)).tolist()
    contours = [Contour(loops[i], taken=bool(nesting.depth[i] <= _DEEPEST[keep])) for i in order]
    return Outline(tuple(contours)), order
