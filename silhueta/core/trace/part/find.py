"""Find the part in a photo at true size: the whole way from colours to rings along its edge.

Words used here
    scene   the photo, and what is known of it before anything is looked for
    doubt   a reason why what was found may be wrong, with its place and what to do about it
"""

from __future__ import annotations

from functools import partial
from typing import NamedTuple

import numpy as np

from silhueta.core.errors import TraceError
from silhueta.core.geometry.path import Floats
from silhueta.core.picture.verdict import focus_width
from silhueta.core.trace.edge.contours import PixelContours, contours, gathered
from silhueta.core.trace.edge.walls import Walls
from silhueta.core.trace.part.border import Sight, border, edge_width
from silhueta.core.trace.part.cast import cast, clear
from silhueta.core.trace.part.face import like_a_shadow
from silhueta.core.trace.part.finer import Finer, finer
from silhueta.core.trace.part.hand import closer_part, rough_part
from silhueta.core.trace.part.lit import kind_of_walls, open_wall
from silhueta.core.trace.part.looks import (
    Grounds,
    Light,
    Looks,
    Mask,
    Seen,
    UntoldError,
    grounds_of,
    largest_piece,
    looks_of,
    smaller,
)
from silhueta.core.trace.part.opened import by_openings
from silhueta.core.trace.part.rounds import light_in
from silhueta.core.trace.part.small import Scene, closeup, fine_grain, shrunk, small_of
from silhueta.core.trace.part.sure import (
    Doubt,
    blunt_run,
    judged,
    lost_sides,
    may_be_hole,
    weak_share,
)
from silhueta.core.trace.part.whole import Explanation, things
from silhueta.core.work import Work

_STROKE = 0.3  # of a pixel of the small picture, that is under a stroke
_ON_SHEET = 0.004  # of the sheet, that a part covers at least when it lies on it
_RIVAL = 0.6  # of the largest, from which another thing may be meant as well
_TOLD, _CLEARER = 0.65, 0.08  # share of a border with an edge: enough; better by so much
_SOFT_PX, _SOFT_MM = 12.0, 0.8  # width of an edge from which a photo is out of focus
_OPEN = 0.45  # of a thing unexplained: part and ground are not told apart
_NO_WEB_PX = 2.0  # width of a web that no picture shows
_FAINT = 0.65  # share of a border with an edge, under which face and shadow are hardly parted
_BY_MARKS, _WEAK = 2.0, 0.02  # face told along its marks, and where that may fail
_BLUNT_MM = 4.0  # of edge without a sharp step of light
_ALIKE = (
    "the part's face looks like its shadow, and the edge between them is faint, so the outline may "
    "follow the shadow in places: look at it closely, or take the photo in softer light, or on "
    "something of another colour"
)
_WEBS = (
    "webs between holes are too thin in this picture to be told from the holes: take the photo "
    "from nearer, or paint ink on the webs at Picture"
)
_LOST = (
    "not every hole that was seen has an edge that can be followed all round: look which one is "
    "missing, and paint scrape on it at Picture, or take the photo in softer light"
)


class FoundPart(NamedTuple):
    """The part's edge as contours in px of the photo at true size, and how plausible it is.

    doubts : tuple of Doubt
        Places that may be holes and were left out.
    wall : float, px
        Width of wall that may be face (`open_wall`); 0: none.
    alike : bool
        Whether its face is like its shadow, or brushed so that marks told it.
    lost : (float, float), mm
        Standard uncertainty of its width and height by sides without a sharp edge.
    """

    contours: PixelContours
    doubts: tuple[Doubt, ...]
    wall: float = 0.0
    alike: bool = False
    lost: tuple[float, float] = (0.0, 0.0)


class _Near(NamedTuple):
    """The part in a closer picture, where that lies, px, and what it is seen in.

    `alike`: face and shadow look alike, so that edges told them apart.
    """

    made: Finer
    left: int
    top: int
    scale: float
    light: Light
    alike: bool


def find_part(scene: Scene, least_mm2: float = 1.0, work: Work | None = None) -> FoundPart:
    """Return the one part that a photo shows.

    Parameters
    ----------
    scene : Scene
    least_mm2 : float, mm²
        Holes that enclose less are left out.
    work : Work, optional

    Raises
    ------
    TraceError
        If there is none, more than one, or it cannot be told from what is round it.

    """
    try:
        return _found(scene, least_mm2, work or Work())
    except TraceError as error:
        wide = focus_width(scene.colours[..., 1])
        if wide < _SOFT_PX:
            raise
        raise TraceError(
            f"the photo is out of focus: its sharpest edges are {wide:.0f} px wide or more; take "
            "it again, focused on the part, and hold still"
        ) from error


def _found(scene: Scene, least_mm2: float, work: Work) -> FoundPart:
    seen, factor, barred = small_of(scene)
    work.step(0.2)
    try:
        near = _by_looks(scene, seen, factor, barred, work)
    except UntoldError:
        near = _by_hand(scene, seen, factor)
    work.step(0.7)
    return _edges(near, scene, least_mm2, work)


def _stroked(strokes: Mask, seen: Seen) -> Mask:
    """Return what of the small picture is under a scene's strokes."""
    return shrunk(strokes, (seen.light.shape[1], seen.light.shape[0]), _STROKE)


def _by_looks(scene: Scene, seen: Seen, factor: float, barred: Mask | None, work: Work) -> _Near:
    """Return the part as its look and its edges tell it."""
    grounds = grounds_of(seen)
    looks = looks_of(seen, grounds)
    work.step(0.3)
    inked = None if scene.inked is None else _stroked(scene.inked, seen)
    best = _chosen(things(seen, looks, barred, work), seen, inked)
    work.step(0.5)
    near = _closer(scene, seen, grounds, best, factor, work)
    hinted = scene.inked is not None or scene.scraped is not None
    if best.unclear and not near.alike and not hinted:
        raise TraceError(
            "the part's face and the shadow beside it look alike, so its edge may be taken for the "
            "shadow's; paint ink on the part and scrape on the shadow at Picture, or take the "
            "photo in softer light, or on something of another colour"
        )
    return near


def _by_hand(scene: Scene, seen: Seen, factor: float) -> _Near:
    """Return the part as strokes and the edges between them tell it.

    Raises
    ------
    UntoldError
        Where there are no strokes on both sides, or nothing is between them.

    """
    if scene.inked is None or scene.scraped is None:
        raise UntoldError
    hints = _stroked(scene.inked, seen), _stroked(scene.scraped, seen)
    rough = rough_part(seen.light, seen.steep, seen.domain, *hints)
    if not rough.any():
        raise UntoldError
    view = closeup(scene, seen, rough, factor)
    inked, scraped = view.hint(scene.inked), view.hint(scene.scraped)
    assert inked is not None
    assert scraped is not None
    part = closer_part(view.light, scene.mm / view.scale, view.near(rough), inked, scraped)
    if not part.any():
        raise UntoldError
    made = Finer(part, np.zeros(part.shape, np.float32), [], 1.0, [])
    return _Near(made, view.left, view.top, view.scale, view.shown, True)


def _holes(part: Mask, least: float) -> int:
    """Return how many holes of at least so many px a part has; slivers of an edge are none."""
    import cv2

    empty = np.pad(~part, 1, constant_values=True).astype(np.uint8)
    wide = cv2.morphologyEx(empty, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    _, _, stats, _ = cv2.connectedComponentsWithStats(wide, connectivity=4)
    return int((stats[1:, cv2.CC_STAT_AREA] >= least).sum()) - 1


def _chosen(found: list[Explanation], seen: Seen, inked: Mask | None) -> Explanation:
    """Return the thing that is the part: one that ink lies on, or the largest.

    Raises
    ------
    TraceError
        If none can be, or more than one.

    """
    if inked is not None:
        found = [e for e in found if (e.thing & inked).any()]
        if not found:
            raise UntoldError
    if not found:
        raise TraceError(
            "no part is to be seen: nothing differs enough from what it lies on; lay it on "
            "something of another colour, or paint ink on it and scrape beside it at Picture"
        )
    whole = float(seen.on.sum())
    lying = [e for e in found if whole and (e.part & seen.on).sum() > _ON_SHEET * whole]
    found = sorted(lying, key=lambda e: -int((e.part & seen.on).sum())) or found
    best = found[0]
    if best.touches:
        raise TraceError(
            "the part is cut off by the picture's edge, or what was found is no part; take the "
            "photo with the whole part in it, and some of the ground all round"
        )
    if best.cost > _OPEN:
        raise UntoldError
    rivals = [e for e in found[1:] if not e.touches and e.cost < _OPEN / 2]
    if rivals and rivals[0].part.sum() > _RIVAL * best.part.sum():
        raise TraceError(
            "two things lie here that may be the part; crop the picture to the one that you mean, "
            "or paint a stroke of ink on it at Picture"
        )
    return best


def _closer(
    scene: Scene, seen: Seen, grounds: Grounds, best: Explanation, factor: float, work: Work
) -> _Near:
    """Return the part in a closer picture."""
    view = closeup(scene, seen, best.part, factor)
    left, top, scale, box, whole, light = view
    close = Seen(
        light,
        fine_grain(whole[..., 1], light[..., 1], view.size),
        view.near(seen.domain),
        view.near(seen.on),
        view.near(seen.off),
        scene.mm / scale,
        seen.thickness,
        np.zeros(light.shape[:2], np.float32),
    )
    looks = looks_of(close, grounds.window(box, view.size))
    walls = scene.walls
    if walls is not None:
        under = ((walls.under[0] - left) * scale, (walls.under[1] - top) * scale)
        walls = Walls(under, walls.ratio)
    by_looks = view.near(best.part), view.near(best.shadow)
    by_edges = _by_edges(close, looks, by_looks[0], view.near(best.thing), walls)
    part, shadow = by_edges or by_looks
    made = finer(
        close,
        looks,
        part,
        shadow,
        view.hint(scene.inked),
        view.hint(scene.scraped),
        work,
    )
    return _Near(made, left, top, scale, view.shown, by_edges is not None)


def _by_edges(
    close: Seen, looks: Looks, part: Mask, thing: Mask, walls: Walls | None
) -> tuple[Mask, Mask] | None:
    """Return part and shadow told by edges, where the part by looks lacks them; else None."""
    import cv2

    if not like_a_shadow(looks, part):
        return None
    by_looks = clear(part, close.light)
    if by_looks > _TOLD:
        return None
    square = np.ones((5, 5), np.uint8)
    wide = cv2.dilate(thing.astype(np.uint8), square) > 0
    solid = cv2.morphologyEx((looks.unlike & wide).astype(np.uint8), cv2.MORPH_CLOSE, square)
    solid = cv2.morphologyEx(solid, cv2.MORPH_OPEN, square)
    whole = largest_piece(solid > 0)
    if not whole.any():
        return None
    found = cast(whole, close.light, close.mm, close.thickness, walls)
    if found is None or clear(found.part, close.light) < by_looks + _CLEARER:
        return None
    return found.part, whole & ~found.part


def _too_near(rings: list[Floats]) -> list[tuple[float, float]]:
    """Return where holes come nearer to each other than any web that can be seen, px."""
    from scipy.spatial import cKDTree

    trees = [cKDTree(ring) for ring in rings[1:]]
    found = []
    for i, tree in enumerate(trees):
        for ring in rings[1 : i + 1]:
            near = np.asarray(tree.query(ring, distance_upper_bound=_NO_WEB_PX)[0])
            if np.isfinite(near).any():
                x, y = ring[near.argmin()].tolist()
                found.append((x, y))
    return found


def _rings(traced: PixelContours, sight: Sight, work: Work) -> tuple[list[Floats], float]:
    """Return the edge of the face along each rough contour, padded by a px, and open wall, px."""
    roughs = [(traced.contour(i) - 1.0) / sight.factor for i in range(len(traced))]

    def along(sight: Sight, begun: float) -> list[Floats]:
        rings = []
        for number, rough in enumerate(roughs):
            rings.append(border(rough, sight))
            work.step(begun + (1.0 - begun) * (number + 1) / len(roughs))
        return rings

    rings = along(sight, 0.7)
    if not sight.closely:
        return rings, 0.0
    kind = kind_of_walls(roughs, rings, sight)
    if kind.lit:
        return along(sight._replace(lit=True), 0.9), 0.0
    return rings, 0.0 if kind.told else open_wall(rings, sight)


def _readings(sight: Sight) -> tuple[Sight, ...]:
    """Return what edges beside a shadow like the face are seen in; none where there is no such."""
    if sight.marks is None:
        return (sight,) if sight.alike else ()
    # by the light as it is a mark may pass for an edge; without marks, where those are misjudged
    return (sight, sight._replace(marks=None))


def _faint(made: Finer, kept: list[Floats], sight: Sight) -> tuple[Doubt, ...]:
    """Return a doubt where face and shadow may be taken for each other along an edge."""
    readings = _readings(sight)
    if not readings:
        return ()
    hardly = sight.alike and clear(made.part, smaller(sight.light, made.part.shape)) < _FAINT
    if hardly and not (made.clearer > _BY_MARKS and weak_share(kept[0], sight)[0] < _WEAK):
        rows, columns = np.nonzero(made.part)
        middle = float(columns.mean()) / sight.factor, float(rows.mean()) / sight.factor
        return (Doubt(middle, _ALIKE),)
    runs = [[blunt_run(ring, one) for one in readings] for ring in kept]
    longest, place = max(max(both) if hardly else min(both) for both in runs)
    return (Doubt(place, _ALIKE),) if longest > _BLUNT_MM else ()


def _edges(near: _Near, scene: Scene, least_mm2: float, work: Work) -> FoundPart:
    """Return the part's edge in the closer picture."""
    import cv2

    made, left, top, scale, light, alike = near
    rough = made.part
    soft = cv2.GaussianBlur(np.where(rough, np.uint8(0), np.uint8(255)), (0, 0), 0.8)
    mm = scene.mm / scale
    soft = np.pad(soft, 1, constant_values=255)
    traced = contours(soft.astype(np.uint8), 127.5, least_area=0.5 / mm**2)
    walls = scene.walls
    if walls is not None:
        walls = Walls((walls.under[0] - left, walls.under[1] - top), walls.ratio)
    high = scene.thickness / scene.mm
    sight = Sight(
        light, made.leaning, scale, scene.mm, walls, alike, False, high, scene.closely, made.marks
    )
    pieces, areas = [], []
    rings, wall = _rings(traced, sight, work)
    if walls is not None and scene.closely:
        light_at = partial(light_in, light)
        rings = [
            by_openings(ring, light_at, walls) if area < 0 else ring
            for ring, area in zip(rings, traced.areas.tolist(), strict=True)
        ]
    for i, ring in enumerate(rings):
        x, y = ring.T
        # y down: counter-clockwise seen with y up is negative here
        area = -0.5 * float(x @ np.roll(y, -1) - np.roll(x, -1) @ y)
        if (area > 0) != (traced.areas[i] > 0) or abs(area) * scene.mm**2 < least_mm2:
            continue
        pieces.append(ring)
        areas.append(area)
    if not pieces or max(areas) <= 0:
        raise TraceError(
            "no part is to be seen: what differs from the ground is no larger than a speck; lay "
            "the part on something of another colour, or paint a stroke of ink on it at Picture"
        )
    kept, doubts = judged(pieces, areas, sight)
    doubts += tuple(Doubt((x / scale, y / scale), may_be_hole(mm2)) for x, y, mm2 in made.left_out)
    wide = edge_width(pieces[kept[0]], sight) if kept else 0.0
    if wide > _SOFT_PX and wide * scene.mm > _SOFT_MM:
        x, y = pieces[kept[0]][0].tolist()
        text = (
            f"the part's edge is out of focus, {wide:.0f} px or {wide * scene.mm:.1f} mm wide, and "
            "its size may be off by a part of that: take the photo again, focused on the part"
        )
        doubts += (Doubt((x, y), text),)
    if not made.thin and _holes(rough, least_mm2 / mm**2) != len(kept) - 1:
        rows, columns = np.nonzero(rough)
        place = (float(columns.mean()) / scale, float(rows.mean()) / scale)
        doubts += (Doubt(place, _LOST),)
    doubts += _faint(made, [pieces[i] for i in kept], sight)
    thin = made.thin or [(x * scale, y * scale) for x, y in _too_near([pieces[i] for i in kept])]
    doubts += tuple(Doubt((x / scale, y / scale), _WEBS) for x, y in thin)
    corner = np.array([left, top], np.float64)
    moved = tuple(
        doubt._replace(place=(doubt.place[0] + left, doubt.place[1] + top)) for doubt in doubts
    )
    edges = [pieces[i] + corner for i in kept]
    found = gathered(edges, np.array([areas[i] for i in kept]), len(traced) - len(kept))
    readings = _readings(sight)
    lost = lost_sides(pieces[kept[0]], readings) if kept and readings else (0.0, 0.0)
    return FoundPart(found, moved, wall, bool(readings), lost)
