"""The gauge sheet: a printed page of coded marks round an empty middle, and how it is found.

Words used here
    mark      one square of black and white cells that carries a number (ArUco, 5 x 5 cells, as
              OpenCV has them: S. Garrido-Jurado et al., "Automatic generation and detection of
              highly reliable fiducial markers under occlusion", Pattern Recognition 47, 2014)
    bar       a line of 100 mm, to be measured on the print
    bend      relative shift of the picture's corners by the lens

Sheet coordinates are mm, y up, from the sheet's lower left.
"""

from __future__ import annotations

import io
import math
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from silhueta.core.datum.camera import Lens, Plane, apply, box_corners, focal_from_plane, homography
from silhueta.core.datum.edges import Grey
from silhueta.core.datum.sheets import SIZES, TITLES
from silhueta.core.datums import GaugeDatum
from silhueta.core.errors import ScaleError
from silhueta.core.geometry.path import Floats
from silhueta.core.picture.light import in_light

MARK = 14.0  # mm, side
_PITCH = 18.0
_MARGIN = 9.0  # mm that printers leave white, and a little
BAR = 100.0
_BAR_AT = 5.0  # mm inside the ring of marks
_LEAST_MARKS = 6
_ROUGH = 40.0  # times the fit's spread over which a mark was read wrongly
_SURE_FOCAL = 0.12  # relative spread under which the focal length counts


@dataclass(frozen=True)
class Layout:
    """Where the marks of one size of gauge sheet are."""

    name: str
    first: int  # number of its first mark

    @property
    def size(self) -> tuple[float, float]:
        """Width and height, mm."""
        return SIZES[self.name]

    @cached_property
    def marks(self) -> dict[int, Floats]:
        """Corners (4, 2) of each mark, clockwise from its top left, mm, by its number."""
        width, height = self.size
        across = int((width - 2 * _MARGIN - MARK) // _PITCH) + 1
        up = int((height - 2 * _MARGIN - MARK) // _PITCH) + 1
        left = (width - (across - 1) * _PITCH - MARK) / 2
        low = (height - (up - 1) * _PITCH - MARK) / 2
        places = [(i, j) for j in range(up) for i in range(across)]
        ring = [(i, j) for i, j in places if i in (0, across - 1) or j in (0, up - 1)]
        found = {}
        for number, (i, j) in enumerate(ring):
            x, y = left + i * _PITCH, low + j * _PITCH
            found[self.first + number] = np.array(
                [[x, y + MARK], [x + MARK, y + MARK], [x + MARK, y], [x, y]]
            )
        return found

    @cached_property
    def inner(self) -> tuple[float, float, float, float]:
        """The empty middle (left, bottom, right, top), mm, bars taken off."""
        corners = np.vstack(list(self.marks.values()))
        low, high = corners.min(0) + MARK, corners.max(0) - MARK
        room = _BAR_AT + 5.0
        return (low[0] + room, low[1] + room, high[0] - 2.0, high[1] - 2.0)

    @property
    def bars(self) -> tuple[tuple[Floats, Floats], tuple[Floats, Floats]]:
        """The ends of the level and the upright bar, mm."""
        corners = np.vstack(list(self.marks.values()))
        low = corners.min(0) + MARK + _BAR_AT
        level = (low + [10, 0], low + [10 + BAR, 0])
        upright = (low + [0, 10], low + [0, 10 + BAR])
        return level, upright


LAYOUTS = {"a4": Layout("a4", 0), "letter": Layout("letter", 60), "a3": Layout("a3", 120)}


def _cells(number: int) -> NDArray[np.uint8]:
    """Return the 7 x 7 cells of a mark, its black border included; 1 is black."""
    import cv2

    dictionary = cv2.aruco.getPredefinedDictionary(cv2.aruco.DICT_5X5_250)
    drawn = cv2.aruco.generateImageMarker(dictionary, number, 7)
    return (np.asarray(drawn) < 128).astype(np.uint8)


def gauge_pdf(name: str) -> bytes:
    """Return the gauge sheet `name` ("a4", "a3" or "letter") as a PDF of one page.

    Raises
    ------
    ScaleError
        If there is no gauge sheet of that name.

    """
    from reportlab.lib.units import mm
    from reportlab.pdfgen.canvas import Canvas

    layout = LAYOUTS.get(name)
    if layout is None:
        raise ScaleError(f"there is no gauge sheet {name!r}; take one of {', '.join(LAYOUTS)}")
    width, height = layout.size
    stream = io.BytesIO()
    canvas = Canvas(stream, pagesize=(width * mm, height * mm), invariant=1)
    canvas.setTitle(f"Silhueta gauge sheet {TITLES[name]}")
    cell = MARK / 7
    for number, corners in layout.marks.items():
        x, y = corners[3]
        for row, cells in enumerate(_cells(number)):
            start = 0
            while start < 7:  # one rectangle a run, so that no hairline shows between cells
                stop = start
                while stop < 7 and cells[stop] == cells[start]:
                    stop += 1
                if cells[start]:
                    low = y + (6 - row) * cell
                    canvas.rect(
                        (x + start * cell) * mm,
                        low * mm,
                        (stop - start) * cell * mm,
                        cell * mm * (1.0 if row == 6 else 1.002),
                        stroke=0,
                        fill=1,
                    )
                start = stop
    canvas.setLineWidth(0.25 * mm)
    for one, two in layout.bars:
        canvas.line(*(one * mm), *(two * mm))
        across = np.array([two[1] - one[1], two[0] - one[0]]) / BAR * 2.0
        for end in (one, two):
            canvas.line(*((end - across) * mm), *((end + across) * mm))
    canvas.setFont("Helvetica", 8)
    one, two = layout.bars[0]
    canvas.drawString(
        (one[0] + 3) * mm,
        (one[1] + 1.2) * mm,
        "100 mm: measure this bar and type what it is. Print at 100 %, not “fit to page”.",
    )
    canvas.showPage()
    canvas.save()
    return stream.getvalue()


def sheet_box(gauge: GaugeDatum, lens: Lens) -> Floats:
    """Return the corners of the gauge sheet in the picture, (4, 2) raw px, clockwise."""
    return _ground(gauge, lens).to_px(box_corners(*LAYOUTS[gauge.name].size))


def _ground(gauge: GaugeDatum, lens: Lens) -> Plane:
    points = np.array(gauge.points)
    return Plane(homography(points[:, 2:], lens.straighten(points[:, :2])), lens)


def printed_boxes(gauge: GaugeDatum, lens: Lens) -> list[Floats]:
    """Return where bars and the marks that were read lie in the picture, polygons of raw px."""
    layout = LAYOUTS[gauge.name]
    points = np.array(gauge.points)
    ground = _ground(gauge, lens)
    boxes = []
    seen = {tuple(np.round(p, 3)) for p in points[:, 2:].tolist()}
    for corners in layout.marks.values():
        if tuple(np.round(corners[0], 3)) in seen:
            middle = corners.mean(0)
            boxes.append(ground.to_px(middle + (corners - middle) * (1 + 1.6 / MARK)))
    for one, two in layout.bars:
        low, high = np.minimum(one, two) - 2.6, np.maximum(one, two) + [2.6, 2.6]
        box = np.array([[low[0], high[1]], high, [high[0], low[1]], low])
        boxes.append(ground.to_px(box))
    (one, _), _ = layout.bars
    text = np.array([[0, 5.0], [112, 5.0], [112, -0.5], [0, -0.5]]) + one
    boxes.append(ground.to_px(text))
    return boxes


def find_gauge(grey: Grey, lens: Lens) -> GaugeDatum:
    """Return the gauge sheet in a photo, with lens distortion and, where it shows, focal length.

    Raises
    ------
    ScaleError
        If there is none, it is a mirror image, its marks belong to several sizes, or it is bent.

    """
    eight = grey if grey.dtype == np.uint8 else (grey / 257).astype(np.uint8)
    corners, numbers = _marks(eight)
    if len(numbers) < _LEAST_MARKS:
        if len(_marks(np.ascontiguousarray(eight[:, ::-1]))[1]) >= _LEAST_MARKS:
            raise ScaleError(
                "the gauge sheet is seen as a mirror image; turn mirroring off in the camera or "
                "scanner, and open the picture again"
            )
        raise ScaleError(
            f"the gauge sheet is not to be seen ({len(numbers)} of its marks were read, "
            f"{_LEAST_MARKS} are needed); show more of it, sharper or in more light"
        )
    layout = _layout_of(numbers)
    kept = [i for i, n in enumerate(numbers) if n in layout.marks]
    px = np.vstack([corners[i] for i in kept])
    mm = np.vstack([layout.marks[numbers[i]] for i in kept])
    if len(kept) < _LEAST_MARKS:
        raise ScaleError("marks of several gauge sheets are to be seen; show one only")
    good = np.ones(len(px), bool)
    k1, k1_sigma, spread = 0.0, 0.0, 0.0
    for _ in range(3):
        k1, k1_sigma, spread, away = _fit(px, mm, lens, good)
        limit = max(4.0 * spread, 0.5)
        marks_good = (away.reshape(-1, 4) < limit).all(1)
        now = np.repeat(marks_good, 4)
        if (now == good).all() or marks_good.sum() < _LEAST_MARKS:
            break
        good = now
    pixel = float(np.linalg.norm(px[0] - px[1])) / MARK
    if spread > 0.35 * pixel:  # a third of a millimetre
        raise ScaleError(
            "the gauge sheet does not lie flat; smooth it, or stick it to a board, and take the "
            "photo again"
        )
    half = math.hypot(*lens.centre)
    bend = k1 * (half / lens.focal) ** 2
    bend_sigma = k1_sigma * (half / lens.focal) ** 2
    focal = _focal(px[good], mm[good], lens, k1, spread)
    points = np.hstack([px[good], mm[good]])
    return GaugeDatum(
        layout.name,
        tuple(map(tuple, points.round(4).tolist())),
        sigma=max(spread, 0.03),
        focal=focal,
        bend=bend,
        bend_sigma=bend_sigma,
    )


def _marks(grey: NDArray[np.uint8]) -> tuple[list[Floats], list[int]]:
    import cv2

    parameters = cv2.aruco.DetectorParameters()
    parameters.cornerRefinementMethod = cv2.aruco.CORNER_REFINE_NONE
    dictionary = cv2.aruco.getPredefinedDictionary(cv2.aruco.DICT_5X5_250)
    detector = cv2.aruco.ArucoDetector(dictionary, parameters)
    found: Any = detector.detectMarkers(grey)  # None in it when no mark is seen
    corners, numbers, _ = found
    if numbers is None:
        return [], []
    light = in_light(grey).astype(np.float32)
    places = np.ascontiguousarray(np.vstack([np.reshape(c, (4, 2)) for c in corners]), np.float32)
    stop = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_MAX_ITER, 30, 0.005)
    refined = np.asarray(cv2.cornerSubPix(light, places, (5, 5), (-1, -1), stop), np.float64)
    return (
        list(refined.reshape(-1, 4, 2) + 0.5),
        [int(n) for n in numbers.ravel()],
    )


def _layout_of(numbers: list[int]) -> Layout:
    counts = {name: sum(n in layout.marks for n in numbers) for name, layout in LAYOUTS.items()}
    name = max(counts, key=lambda key: counts[key])
    return LAYOUTS[name]


def _fit(
    px: Floats, mm: Floats, lens: Lens, good: NDArray[np.bool_]
) -> tuple[float, float, float, Floats]:
    """Return k1, its spread, the points' spread, and each point's distance."""
    from scipy.optimize import least_squares

    scale = np.ptp(mm, axis=0).max()
    middle = mm.mean(0)
    unit = (mm - middle) / scale
    start = homography(unit[good], px[good])

    def model(values: Floats, points: Floats) -> Floats:
        matrix = np.append(values[:8], 1.0).reshape(3, 3)
        return Lens(lens.focal, lens.centre, values[8]).bend(apply(matrix, points))

    def residual(values: Floats) -> Floats:
        return (model(values, unit[good]) - px[good]).ravel()

    first = np.append(start.ravel()[:8], 0.0)
    size = np.maximum(np.abs(first), 1e-3)
    done = least_squares(residual, first, x_scale=size, method="lm")
    jacobian = np.asarray(done.jac)
    free = max(2 * int(good.sum()) - 9, 1)
    spread = float(np.sqrt((done.fun**2).sum() / free))
    covariance = np.linalg.pinv(jacobian.T @ jacobian) * spread**2
    k1, sigma = float(done.x[8]), float(np.sqrt(max(covariance[8, 8], 0)))
    away = np.hypot(*(model(done.x, unit) - px).T)
    return k1, sigma, spread, away


def _focal(px: Floats, mm: Floats, lens: Lens, k1: float, spread: float) -> float | None:
    """Return the focal length in px where the marks tell it well enough, else None."""
    made = Lens(lens.focal, lens.centre, k1)
    ideal = made.straighten(px)
    first = focal_from_plane(homography(mm, ideal), lens.centre)
    if first is None or not 0.4 * lens.focal < first < 4 * lens.focal:
        return None
    rng = np.random.default_rng(0)
    trials = []
    for _ in range(12):
        moved = ideal + rng.normal(0, max(spread, 0.03), ideal.shape)
        trials.append(focal_from_plane(homography(mm, moved), lens.centre) or math.inf)
    far = np.array(trials)
    return first if np.isfinite(far).all() and far.std() < _SURE_FOCAL * first / 2 else None
