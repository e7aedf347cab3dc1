"""Find the part in a photo at true size: the whole way from colours to rings along its edge.

Words used here
    scene   the photo, and what is known of it before anything is looked for
    doubt   a reason why what was found may be wrong, with its place and what to do about it
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.errors import TraceError
from silhueta.core.geometry.path import Floats
from silhueta.core.picture.light import TOP, in_light
from silhueta.core.trace.contours import Contours, contours, gathered
from silhueta.core.trace.part.border import Sight, border
from silhueta.core.trace.part.finer import finer
from silhueta.core.trace.part.looks import Grounds, Light, Mask, Seen, grounds_of, looks_of
from silhueta.core.trace.part.sure import Doubt, judged
from silhueta.core.trace.part.whole import Explanation, things
from silhueta.core.trace.walls import Walls
from silhueta.core.work import Work

_SMALL = 400_000  # px of the picture in which the part is looked for
_CLOSER = 600_000  # px of the one in which its holes are
_RIM_MM, _CLEAR_MM = 0.8, 2.0  # inside and outside of the sheet's edge that is of neither side
_AROUND_MM = 6.0
_ON_SHEET = 0.004  # of the sheet, that a part covers at least when it lies on it
_RIVAL = 0.6  # of the largest, from which another thing may be meant as well
_OPEN = 0.45  # of a thing unexplained: part and ground are not told apart


@dataclass(frozen=True, eq=False)
class Scene:
    """A photo at true size, and what is known of it.

    Parameters
    ----------
    colours : (H, W, 3) of uint8
        Red, green, blue, as stored.
    mm : float
        Side of a pixel.
    thickness : float, mm
        0: not told, or flat.
    photo : (N, 2), px
        Outline of what the photo shows.
    sheet : (4, 2) px, or None
        The datum's corners.
    beside : bool
        The part cannot lie on that sheet: it is a card.
    printed, inked, scraped : (H, W) of bool, optional
        Print of the datum; what a person said is part, and is not.
    marks : (N, 2), px
        Places that belong to the datum: what lies there is not the part.
    walls : Walls or None

    """

    colours: NDArray[np.uint8]
    mm: float
    thickness: float
    photo: Floats
    sheet: Floats | None = None
    beside: bool = False
    printed: Mask | None = None
    inked: Mask | None = None
    scraped: Mask | None = None
    marks: Floats | None = None
    walls: Walls | None = None


class FoundPart(NamedTuple):
    """The part's edge as contours in px of the photo at true size, and how plausible it is.

    cost : float
        What of the thing could not be explained, 0 to 1.
    doubts : tuple of Doubt
        Places that may be holes and were left out.
    """

    contours: Contours
    cost: float
    doubts: tuple[Doubt, ...]


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
    work = work or Work()
    seen, factor, barred = _small(scene)
    work.step(0.2)
    grounds = grounds_of(seen)
    looks = looks_of(seen, grounds)
    work.step(0.3)
    best = _chosen(things(seen, looks, barred, work), seen)
    hinted = scene.inked is not None or scene.scraped is not None
    if best.unclear and not hinted:
        raise TraceError(
            "the part's face and the shadow beside it look alike, so its edge may be taken for the "
            "shadow's; paint ink on the part and scrape on the shadow at Picture, or take the "
            "photo in softer light, or on something of another colour"
        )
    work.step(0.5)
    rough, left, top, scale, leaning, light = _closer(scene, seen, grounds, best, factor, work)
    work.step(0.7)
    found, doubts = _edges(rough, left, top, scale, leaning, light, scene, least_mm2, work)
    return FoundPart(found, best.cost, doubts)


def _small(scene: Scene) -> tuple[Seen, float, Mask | None]:
    import cv2

    rows, columns = scene.colours.shape[:2]
    factor = min(1.0, float(np.sqrt(_SMALL / (rows * columns))))
    size = (max(8, round(columns * factor)), max(8, round(rows * factor)))
    factor = size[0] / columns
    whole = in_light(scene.colours)
    light = cv2.resize(whole, size, interpolation=cv2.INTER_AREA).astype(np.float32) / TOP
    grain = _grain(whole[..., 1], size) / np.sqrt(light[..., 1] + 0.002)
    shape = light.shape[:2]
    mm = scene.mm / factor
    domain = inside(shape, scene.photo * factor, -1.5)
    on, off = np.zeros(shape, bool), domain
    if scene.sheet is not None:
        sheet = scene.sheet * factor
        if scene.beside:
            domain = domain & ~inside(shape, sheet, 1.5 / mm)
            off = domain
        else:
            on = inside(shape, sheet, -_RIM_MM / mm) & domain
            off = domain & ~inside(shape, sheet, _CLEAR_MM / mm)
    if scene.printed is not None:
        ink = _shrunk(scene.printed, size, 0.08)
        ink = cv2.dilate(ink.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
        domain, on, off = domain & ~ink, on & ~ink, off & ~ink
    barred = None
    if scene.marks is not None and len(scene.marks):
        spots = np.zeros(shape, np.uint8)
        for x, y in (scene.marks * factor).tolist():
            cv2.circle(spots, (round(x), round(y)), 3, 1, -1)
        barred = spots > 0
    return (
        Seen(light, grain.astype(np.float32), domain, on, off, mm, scene.thickness),
        factor,
        barred,
    )


def _grain(green: NDArray[np.uint16], size: tuple[int, int]) -> Light:
    """Return how much the light changes within a few pixels, averaged over larger ones."""
    import cv2

    shown: NDArray[Any] = green
    if min(green.shape) > 2400:  # finer than paper's own noise is of no use
        half = (green.shape[1] // 2, green.shape[0] // 2)
        shown = cv2.resize(green, half, interpolation=cv2.INTER_AREA)
    level = shown.astype(np.float32) / np.float32(TOP)
    change = np.abs(level - cv2.GaussianBlur(level, (0, 0), 1.5))
    return np.asarray(cv2.resize(change, size, interpolation=cv2.INTER_AREA), np.float32)


def _fine_grain(green: NDArray[np.uint16], light: Light, size: tuple[int, int]) -> Light:
    """Return the grain of surfaces close up, without that of the edges between them.

    An edge is narrow: it is no more than a few of the pixels whose median counts.
    """
    import cv2

    raw = _grain(green, size) / np.sqrt(light + np.float32(0.002))
    calm = cv2.medianBlur(cv2.medianBlur(np.ascontiguousarray(raw, np.float32), 5), 5)
    return np.asarray(cv2.GaussianBlur(calm, (0, 0), 2.0), np.float32)


def _shrunk(mask: Mask, size: tuple[int, int], least: float) -> Mask:
    import cv2

    share = cv2.resize(mask.astype(np.uint8) * 255, size, interpolation=cv2.INTER_AREA)
    return np.asarray(share > 255 * least)


def inside(shape: tuple[int, ...], polygon: Floats, grow: float) -> Mask:
    """Return the pixels inside a polygon grown by so many px (shrunk when negative)."""
    import cv2
    from shapely.geometry import Polygon

    shaped = Polygon(polygon).buffer(0).buffer(grow, join_style="mitre")
    mask = np.zeros(shape[:2], np.uint8)
    if not shaped.is_empty and shaped.geom_type == "Polygon":
        ring = np.clip(np.asarray(shaped.exterior.coords) - 0.5, -30_000, 30_000)
        cv2.fillPoly(mask, [np.round(ring * 16).astype(np.int32)], 1, shift=4)
    return mask.astype(bool)


def _chosen(found: list[Explanation], seen: Seen) -> Explanation:
    """Return the thing that is the part.

    Raises
    ------
    TraceError
        If none can be, or more than one.

    """
    if not found:
        raise TraceError(
            "no part is to be seen: nothing differs enough from what it lies on; lay it on "
            "something of another colour, or paint a stroke of ink on it at Picture"
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
        raise TraceError(
            "part and ground cannot be told apart here; paint a stroke of ink on the part and one "
            "of scrape on the ground at Picture, or lay the part on plain ground of another colour"
        )
    rivals = [e for e in found[1:] if not e.touches and e.cost < _OPEN / 2]
    if rivals and rivals[0].part.sum() > _RIVAL * best.part.sum():
        raise TraceError(
            "two things lie here that may be the part; crop the picture to the one that you mean, "
            "or paint a stroke of ink on it at Picture"
        )
    return best


def _closer(
    scene: Scene, seen: Seen, grounds: Grounds, best: Explanation, factor: float, work: Work
) -> tuple[Mask, int, int, float, Light, Light]:
    """Return the part's mask in a closer picture, where that lies, and what it is seen in."""
    import cv2

    rows, columns = np.nonzero(best.part)
    pad = int(_AROUND_MM / seen.mm) + 3
    height, width = seen.on.shape
    box = (
        slice(max(int(rows.min()) - pad, 0), min(int(rows.max()) + pad, height)),
        slice(max(int(columns.min()) - pad, 0), min(int(columns.max()) + pad, width)),
    )
    top, left = round(box[0].start / factor), round(box[1].start / factor)
    bottom = min(round(box[0].stop / factor), scene.colours.shape[0])
    right = min(round(box[1].stop / factor), scene.colours.shape[1])
    whole = in_light(np.ascontiguousarray(scene.colours[top:bottom, left:right]))
    scale = min(1.0, float(np.sqrt(_CLOSER / (whole.shape[0] * whole.shape[1]))))
    size = (round(whole.shape[1] * scale), round(whole.shape[0] * scale))
    light = cv2.resize(whole, size, interpolation=cv2.INTER_AREA).astype(np.float32) / TOP

    def near(mask: Mask) -> Mask:
        return np.asarray(cv2.resize(mask[box].astype(np.float32), size) > 0.5)

    def hint(mask: Mask | None) -> Mask | None:
        return None if mask is None else _shrunk(mask[top:bottom, left:right], size, 0.5)

    close = Seen(
        light,
        _fine_grain(whole[..., 1], light[..., 1], size),
        near(seen.domain),
        near(seen.on),
        near(seen.off),
        scene.mm / scale,
        seen.thickness,
    )
    looks = looks_of(close, grounds.window(box, size))
    made, leaning = finer(
        close,
        looks,
        near(best.part),
        near(best.shadow),
        hint(scene.inked),
        hint(scene.scraped),
        work,
    )
    return made, left, top, scale, leaning, whole.astype(np.float32) / np.float32(TOP)


def _edges(
    rough: Mask,
    left: int,
    top: int,
    scale: float,
    leaning: Light,
    light: Light,
    scene: Scene,
    least_mm2: float,
    work: Work,
) -> tuple[Contours, tuple[Doubt, ...]]:
    import cv2

    soft = cv2.GaussianBlur(np.where(rough, np.uint8(0), np.uint8(255)), (0, 0), 0.8)
    mm = scene.mm / scale
    soft = np.pad(soft, 1, constant_values=255)
    traced = contours(soft.astype(np.uint8), 127.5, least_area=0.5 / mm**2)
    walls = scene.walls
    if walls is not None:
        walls = Walls((walls.under[0] - left, walls.under[1] - top), walls.ratio)
    sight = Sight(light, leaning, scale, scene.mm, walls)
    pieces, areas = [], []
    for i in range(len(traced)):
        ring = border((traced.contour(i) - 1.0) / scale, sight)
        x, y = ring.T
        # y down: counter-clockwise seen with y up is negative here
        area = -0.5 * float(x @ np.roll(y, -1) - np.roll(x, -1) @ y)
        if (area > 0) != (traced.areas[i] > 0) or abs(area) * scene.mm**2 < least_mm2:
            continue
        pieces.append(ring)
        areas.append(area)
        work.step(0.7 + 0.3 * (i + 1) / len(traced))
    if not pieces or max(areas) <= 0:
        raise TraceError(
            "no part is to be seen: what differs from the ground is no larger than a speck; lay "
            "the part on something of another colour, or paint a stroke of ink on it at Picture"
        )
    kept, doubts = judged(pieces, areas, sight)
    corner = np.array([left, top], np.float64)
    moved = tuple(
        doubt._replace(place=(doubt.place[0] + left, doubt.place[1] + top)) for doubt in doubts
    )
    edges = [pieces[i] + corner for i in kept]
    found = gathered(edges, np.array([areas[i] for i in kept]), len(traced) - len(kept))
    return found, moved
