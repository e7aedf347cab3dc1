"""Where in a rectified photo the part may be: on the sheet, or beside it; never the sheet itself.

Words used here
    sheet     the datum's rectangle in the rectified picture
    rim       the strip along the sheet's edge that belongs to neither side
    crossing  a stretch of the sheet's edge that the part covers
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from silhueta.core.datum.rectify import Rectified
from silhueta.core.datums import GaugeDatum, LengthDatum, SheetDatum
from silhueta.core.errors import TraceError
from silhueta.core.geometry.path import Floats
from silhueta.core.job import Job
from silhueta.core.picture.clean import crop_box, stroke_cover
from silhueta.core.picture.decode import Picture
from silhueta.core.picture.even_light import evened_light
from silhueta.core.steps import Stroke
from silhueta.core.trace.edge.contours import PixelContours
from silhueta.core.trace.edge.walls import Walls
from silhueta.core.trace.part.find import find_part
from silhueta.core.trace.part.small import Scene, inside
from silhueta.core.trace.part.sure import Doubt
from silhueta.core.work import Work

_RIM_MM = 1.0
_PART = 0.004  # share of the sheet that is dark when a part lies on it
_BENCH = 0.08  # share of the free rim outside that may be as dark as the part


@dataclass(frozen=True, eq=False)
class Prepared:
    """What is traced: the picture in even light, with all that cannot be the part painted out.

    Parameters
    ----------
    picture : Picture
    mask : (H, W) array of bool, or None
        Where the part may be; None: everywhere.
    contours : PixelContours or None
        The part's edge, where that was found already.
    doubts : tuple of Doubt
        What may be wrong with it.
    wall : float, px
        Width of wall that may be face; 0: none.
    alike : bool
        Whether the part's face is like its shadow.
    lost : (float, float), mm
        Standard uncertainty of the part's width and height by sides without a sharp edge.

    """

    picture: Picture
    mask: NDArray[np.bool_] | None
    contours: PixelContours | None = None
    doubts: tuple[Doubt, ...] = ()
    wall: float = 0.0
    alike: bool = False
    lost: tuple[float, float] = (0.0, 0.0)


def prepare(job: Job, rectified: Rectified, source: Picture) -> Prepared:
    """Return what to trace of a rectified photo.

    Raises
    ------
    TraceError
        If the part reaches over the sheet's edge onto a bench that is as dark as itself.

    """
    box = crop_box(job.clean, source.height, source.width)
    if rectified.picture is source and box is None:
        return Prepared(source, None)
    grey = rectified.picture.eight()
    sheet = _sheet_px(job, rectified)
    photo = inside(grey.shape, _photo_px(rectified, source, box), 0.0 if box else -2.0)
    if sheet is None:
        return _painted(rectified.picture, grey, photo, job.trace.invert)
    rim = _RIM_MM / rectified.scale.mm_per_px
    on_sheet = inside(grey.shape, sheet, -rim) & photo
    ink = _ink(job, rectified, grey.shape)
    if ink is not None:
        grey = _blotted(grey, ink)
    even = evened_light(grey, on_sheet)
    drawn = job.trace.pen is not None  # then it is on the sheet, however little ink that is
    if job.trace.invert or not (drawn or _part_lies_on(even, on_sheet)):
        beside = photo & ~inside(grey.shape, sheet, 2 * rim)
        return _painted(rectified.picture, grey, beside, job.trace.invert)
    level = _level(even, on_sheet)
    over = _reaching_over(even, level, sheet, on_sheet, photo, rim)
    return _painted(rectified.picture, even, on_sheet | over, job.trace.invert)


def prepare_colour(
    job: Job, rectified: Rectified, source: Picture, away: NDArray[np.uint16]
) -> Prepared:
    """Return what to trace where picked colours tell the part: how far away they are.

    Parameters
    ----------
    away : (H, W) of uint16
        `colour_field`, in the rectified picture.

    """
    box = crop_box(job.clean, source.height, source.width)
    made = replace(rectified.picture, grey=away)
    if box is None:
        return Prepared(made, None)
    photo = inside(away.shape, _photo_px(rectified, source, box), 0.0)
    far = np.where(photo, away, np.uint16(0 if job.trace.invert else 65535))
    return Prepared(replace(made, grey=far), photo)


def prepare_split(
    job: Job, rectified: Rectified, source: Picture, colours: NDArray[np.uint8]
) -> NDArray[np.uint8]:
    """Return the rectified colours (H, W, 3) to split: only what the crop leaves, with the strokes.

    Outside the crop, and under scrape, all has the ground's colour; ink is black.
    """
    box = crop_box(job.clean, source.height, source.width)
    everywhere = np.ones(colours.shape[:2], bool)
    if box is None:
        photo = everywhere
    else:
        photo = inside(colours.shape, _photo_px(rectified, source, box), 0.0)
    inked = _hints(job, rectified, source, photo, True)
    scraped = _hints(job, rectified, source, photo, False)
    if box is None and inked is None and scraped is None:
        return colours
    made = colours.copy()
    ground = _most_frequent(colours[photo & ~_shrunk(photo)])
    if inked is not None:
        made[inked] = 0
    if scraped is not None:
        made[scraped] = ground
    made[~photo] = ground
    return made


def _shrunk(mask: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Return a mask without the two pixels along its rim, the picture's own rim among them."""
    import cv2

    around = np.ones((5, 5), np.uint8)
    made = cv2.erode(mask.astype(np.uint8), around, borderType=cv2.BORDER_CONSTANT, borderValue=0)
    return np.asarray(made, bool)


def _most_frequent(colours: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Return the mean of those of (N, 3) colours that are alike in their upper four bits."""
    boxes = (colours >> 4).astype(np.int32) @ np.array([256, 16, 1])
    return np.asarray(colours[boxes == np.bincount(boxes).argmax()].mean(axis=0), np.uint8)


def prepare_part(
    job: Job,
    rectified: Rectified,
    source: Picture,
    colour: NDArray[np.uint8],
    walls: Walls | None,
    work: Work,
    closely: bool = True,
) -> Prepared:
    """Return what to trace where the part is told from its ground: rings along its edge.

    Parameters
    ----------
    colour : (H, W, 3) of uint8
        The rectified picture's red, green and blue.
    walls : Walls or None
    closely : bool
        Whether edges are measured to a fraction of a pixel; else to about one.

    Raises
    ------
    TraceError
        As `find_part` does.

    """
    shape = colour.shape[:2]
    box = crop_box(job.clean, source.height, source.width)
    outline = _photo_px(rectified, source, box)
    photo = inside(shape, outline, 0.0 if box else -2.0)
    marks = [
        point
        for datum in job.datums
        if isinstance(datum, LengthDatum)
        for point in (datum.start, datum.end)
    ]
    scene = Scene(
        colour,
        rectified.scale.mm_per_px,
        job.optics.thickness,
        outline,
        _sheet_px(job, rectified),
        beside=any(isinstance(d, SheetDatum) and d.name == "card" for d in job.datums),
        printed=_ink(job, rectified, shape),
        inked=_hints(job, rectified, source, photo, True),
        scraped=_hints(job, rectified, source, photo, False),
        marks=rectified.from_source(np.array(marks)) if marks else None,
        walls=walls,
        closely=closely,
    )
    found = find_part(scene, job.trace.speck, work)
    shown = painted(found.contours, shape)
    if job.trace.invert:
        shown = np.uint8(255) - shown
    made = replace(rectified.picture, grey=shown)
    seen = (found.doubts, found.wall, found.alike, found.lost)
    return Prepared(made, None, found.contours, *seen)


def painted(found: PixelContours, shape: tuple[int, ...]) -> NDArray[np.uint8]:
    """Return a picture of what contours enclose: 0 inside, 255 outside, smooth between."""
    import cv2

    shown = np.full(shape[:2], 255, np.uint8)
    for i in np.argsort(-np.abs(found.areas)).tolist():
        places = [np.round((found.contour(i) - 0.5) * 16).astype(np.int32)]
        solid = found.areas[i] > 0
        cv2.fillPoly(shown, places, 0 if solid else 255, cv2.LINE_AA, 4)
    return shown


def _hints(
    job: Job, rectified: Rectified, source: Picture, photo: NDArray[np.bool_], ink: bool
) -> NDArray[np.bool_] | None:
    """Return where strokes of ink, or of scrape, lie in the rectified picture, or None."""
    mask: NDArray[np.bool_] | None = None
    for stroke in job.clean:
        if isinstance(stroke, Stroke) and stroke.on and stroke.ink == ink:
            here = rectified.resample(stroke_cover(stroke, source.grey.shape)) > 127
            mask = here & photo if mask is None else mask | (here & photo)
    return mask


def _sheet_px(job: Job, rectified: Rectified) -> Floats | None:
    """Return the sheet's corners in the rectified picture, px, clockwise."""
    for datum in job.datums:
        if isinstance(datum, SheetDatum):
            return rectified.from_source(np.array(datum.corners, np.float64))
        if isinstance(datum, GaugeDatum):
            from silhueta.core.datum.gauge import sheet_box

            return rectified.from_source(sheet_box(datum, rectified.plane.lens))
    return None


def _photo_px(
    rectified: Rectified, source: Picture, box: tuple[int, int, int, int] | None
) -> Floats:
    """Return the rim of the photo, or of what was cropped, in the rectified picture, px."""
    left, top, right, bottom = box or (0, 0, source.width, source.height)
    low, high = np.array([left, top], float), np.array([right, bottom], float)
    share = np.linspace(0, 1, 40)[:-1, None]
    corners = np.array([low, [high[0], low[1]], high, [low[0], high[1]]])
    rim = [corners[i - 1] + share * (corners[i] - corners[i - 1]) for i in range(4)]
    return rectified.from_source(np.vstack(rim))


def _ink(job: Job, rectified: Rectified, shape: tuple[int, ...]) -> NDArray[np.bool_] | None:
    """Return where the gauge sheet is printed and not covered, or None."""
    for datum in job.datums:
        if isinstance(datum, GaugeDatum):
            from silhueta.core.datum.gauge import printed_boxes

            mask = np.zeros(shape, bool)
            for box in printed_boxes(datum, rectified.plane.lens):
                mask |= inside(shape, rectified.from_source(box), 0.0)
            return mask
    return None


def _blotted(grey: NDArray[np.uint8], ink: NDArray[np.bool_]) -> NDArray[np.uint8]:
    import cv2

    wide = cv2.dilate(grey, np.ones((3, 3), np.uint8))
    made = grey.copy()
    paper = float(np.median(wide[ink])) if ink.any() else 255.0
    around = grey[ink]
    made[ink] = np.uint8(max(paper, float(np.quantile(around, 0.8)) if len(around) else paper))
    return made


def _level(grey: NDArray[np.uint8], mask: NDArray[np.bool_]) -> float:
    from silhueta.core.trace.edge.threshold import automatic_level

    return automatic_level(np.bincount(grey[mask], minlength=256))


def _part_lies_on(even: NDArray[np.uint8], on_sheet: NDArray[np.bool_]) -> bool:
    """Return whether something clearly darker than paper lies on the evenly lit sheet."""
    if on_sheet.sum() < 100:
        return False
    shown = even[on_sheet]
    return bool((shown < 0.6 * np.quantile(shown, 0.9)).mean() > _PART)


def _reaching_over(
    even: NDArray[np.uint8],
    level: float,
    sheet: Floats,
    on_sheet: NDArray[np.bool_],
    photo: NDArray[np.bool_],
    rim: float,
) -> NDArray[np.bool_]:
    """Return what of the bench's side the part covers, joined to the part on the sheet."""
    import cv2

    dark = even < level
    inner = on_sheet & ~inside(even.shape, sheet, -2.5 * rim)
    nothing = np.zeros_like(on_sheet)
    if (dark & inner).sum() < 8 * rim:
        return nothing
    outer = inside(even.shape, sheet, 3.0 * rim) & ~inside(even.shape, sheet, 1.5 * rim) & photo
    # the bench next to free paper tells whether bench and part differ
    reach = int(6 * rim) | 1
    near_part = cv2.dilate((dark & inner).astype(np.uint8), np.ones((reach, reach), np.uint8)) > 0
    free = outer & ~near_part
    if free.any() and dark[free].mean() > _BENCH:
        raise TraceError(
            "the part reaches over the edge of the sheet, and the bench there is as dark as the "
            "part; lay a larger sheet under it, or the sheet beside it on a light bench"
        )
    outside = photo & ~on_sheet
    _, labels = cv2.connectedComponents((dark & (outside | inner)).astype(np.uint8))
    joined = np.unique(labels[dark & inner])
    part = np.isin(labels, joined[joined > 0]) & outside
    # a rim of ground round it, so that its edge is seen; the sheet's own edge is bright there
    wide = cv2.dilate(part.astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    return wide & outside


def _painted(
    picture: Picture, grey: NDArray[np.uint8], mask: NDArray[np.bool_], invert: bool
) -> Prepared:
    made = np.where(mask, grey, np.uint8(0 if invert else 255))
    made.setflags(write=False)
    return Prepared(replace(picture, grey=made), mask)
