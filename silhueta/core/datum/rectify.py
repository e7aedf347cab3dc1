"""The photo as it would look from straight above, at true size: made once, measured ever after.

Words used here
    field     what of the plane is shown, a box in mm
    domain    where in the field the part may be; outside lies the bench, or nothing
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from silhueta.core.datum.camera import Plane
from silhueta.core.datum.scale import Scale
from silhueta.core.datum.solve import Solution, facts_of
from silhueta.core.datum.solved import solved
from silhueta.core.datums import OPEN_MM, GaugeDatum, Optics, SheetDatum
from silhueta.core.errors import ScaleError
from silhueta.core.geometry.path import Floats
from silhueta.core.job import Job
from silhueta.core.picture.decode import Picture
from silhueta.core.picture.raster import MOST_PIXELS
from silhueta.core.steps import Mirror, Step, Straighten, Turn
from silhueta.core.work import Work

Raster = NDArray[np.uint8] | NDArray[np.uint16]

_GROWTH = 1.25  # of the picture's pixels that the rectified one may have
_RIM = 64  # places along each side of the photo that say how far the field reaches
_HAIR = 1e-4  # px that rounding may add to a whole number of them
_FAR = 2.5  # sheet sizes from its middle beyond which nothing is shown
_LONGEST = 32_000  # px of a side, that OpenCV moves
_ACROSS = 0.9  # diagonals of the photo, at the datum's scale, beyond which nothing is shown

_ALONG = (
    "the datum makes the photo look along the plane, not at it; check its corners, or take the "
    "photo from further above"
)


@dataclass(frozen=True, eq=False)
class Rectified:
    """A picture at true size.

    Parameters
    ----------
    picture : Picture
        The source itself where every pixel is the same square already.
    scale : Scale
        Its frame: (0, 0) mm is its lower left.
    plane : Plane
        The measured plane in that frame: takes mm to the source's raw px.
    solution : Solution
        In the datum's own frame.

    """

    picture: Picture
    scale: Scale
    plane: Plane
    solution: Solution

    def to_source(self, px: Floats) -> Floats:
        """Return where px (N, 2) of the rectified picture lie in the source, raw px."""
        return self.plane.to_px(self.scale.to_mm(px))

    def resample(self, values: Raster, work: Work | None = None) -> Raster:
        """Return values (H, W) or (H, W, 3) of the source's pixels as they lie in this picture."""
        height, width = self.picture.grey.shape
        ends = np.array([[0.0, 0.0], [width, height]])
        if values.shape[:2] == (height, width) and np.allclose(self.to_source(ends), ends, 0, 1e-6):
            return values
        size = self.scale.mm_per_px
        return _resampled(values, self.plane, size, width, height, work or Work())

    def size_sigma(self, box: tuple[float, float, float, float]) -> tuple[float, float]:
        """Return the standard uncertainty of a box's width and height, mm.

        `box` is (left, bottom, right, top) in the rectified picture's mm.
        """
        left, bottom, right, top = box
        x, y = (left + right) / 2, (bottom + top) / 2
        ends = np.array([[left, y], [right, y], [x, bottom], [x, top]])
        raw = [(float(u), float(v)) for u, v in self.plane.to_px(ends)]
        solution = self.solution
        return solution.length(raw[0], raw[1])[1], solution.length(raw[2], raw[3])[1]

    def open_wall(self, optics: Optics) -> float:
        """Return how wide the wall of a part of unknown thickness may be seen.

        In mm a mm from the point under the camera; 0 where the thickness is told, or no camera is
        known that stands well above.
        """
        height = self.solution.camera_height
        if not optics.thickness_open or height is None or height <= 2 * OPEN_MM:
            return 0.0
        return float(OPEN_MM / (height - OPEN_MM))

    def from_source(self, raw: Floats) -> Floats:
        """Return where raw px (N, 2) of the source lie in the rectified picture."""
        return self.scale.to_px(self.plane.to_mm(raw))


def rectify(job: Job, picture: Picture, work: Work | None = None) -> Rectified:
    """Return `picture`, the decoded picture of `job`, at true size by the job's datums.

    Raises
    ------
    ScaleError
        As :func:`solve` does; or when the plane runs away towards the horizon.

    """
    work = work or Work()
    _check_corners(job, picture)
    solution = solved(job, facts_of(picture))
    axes = _axes(job.clean)
    if solution.level and axes is None:
        side = 1 / float(solution.plane.matrix[0, 0] / solution.plane.matrix[2, 2])
        scale = Scale(side, picture.height, solution.kind)
        at_corner = Plane(
            np.array([[1 / side, 0, 0], [0, -1 / side, picture.height], [0, 0, 1.0]]),
            solution.plane.lens,
        )
        return Rectified(picture, scale, at_corner, solution)
    turned = solution.plane if axes is None else solution.plane.turned(axes)
    left, bottom, right, top = _field(job, turned, picture)
    size = _finest(turned, picture, (left, bottom, right, top))
    if not np.isfinite([left, bottom, right, top, size]).all() or right <= left or top <= bottom:
        raise ScaleError(_ALONG)
    width = max(1, int(np.ceil((right - left) / size - _HAIR)))
    height = max(1, int(np.ceil((top - bottom) / size - _HAIR)))
    if max(width, height, picture.width, picture.height) > _LONGEST:
        raise ScaleError(
            f"the photo is {picture.width:,} x {picture.height:,} px, and {width:,} x {height:,} "
            f"at true size; over {_LONGEST:,} px a side cannot be worked with: check the datum's "
            "corners, or save the photo smaller"
        )
    plane = turned.with_origin(left, bottom)
    scale = Scale(size, height, solution.kind)
    work.step(0.1)
    grey = _resampled(picture.grey, plane, size, width, height, work)
    made = replace(picture, grey=grey)
    return Rectified(made, scale, plane, solution)


def _check_corners(job: Job, picture: Picture) -> None:
    """Refuse corners that are so far outside of the picture that they were never seen."""
    size = np.array([picture.width, picture.height])
    for x, y in _datum_px(job).tolist():
        if (np.array([x, y]) < -size).any() or (np.array([x, y]) > 2 * size).any():
            raise ScaleError(
                f"the datum's corner at {x:.0f}, {y:.0f} px lies far outside of the picture, which "
                f"is {picture.width} x {picture.height} px: mark it again"
            )


def _axes(steps: tuple[Step, ...]) -> Floats | None:
    """Return what takes the turned and mirrored picture's mm to the picture's own, or None."""
    whole = np.eye(2)
    for step in steps:
        if not step.on:
            continue
        if isinstance(step, Mirror):
            whole = np.diag([-1.0, 1.0]) @ whole
        elif isinstance(step, Turn | Straighten):
            quarter = isinstance(step, Turn)
            angle = step.quarters % 4 * np.pi / 2 if isinstance(step, Turn) else step.angle()
            c, s = np.cos(angle), np.sin(angle)
            turn = np.array([[c, -s], [s, c]])
            whole = (np.round(turn) if quarter else turn) @ whole
    if np.array_equal(whole, np.eye(2)):
        return None
    return np.asarray(np.linalg.inv(whole), np.float64)


def _field(job: Job, plane: Plane, picture: Picture) -> tuple[float, float, float, float]:
    """Return the box (left, bottom, right, top) in mm that the photo covers, near the datum."""
    share = np.linspace(0, 1, _RIM)
    w, h = picture.width, picture.height
    rim = np.vstack(
        [
            np.column_stack([share * w, np.zeros(_RIM)]),
            np.column_stack([np.full(_RIM, w), share * h]),
            np.column_stack([share * w, np.full(_RIM, h)]),
            np.column_stack([np.zeros(_RIM), share * h]),
        ]
    )
    ideal = plane.lens.straighten(rim)
    seen = np.column_stack([ideal, np.ones(len(ideal))]) @ plane.inverse.T
    anchor = _datum_px(job)
    middle_px = anchor.mean(0) if len(anchor) else np.array([w / 2, h / 2])
    middle = np.append(plane.lens.straighten(middle_px[None])[0], 1) @ plane.inverse.T
    front = seen[:, 2] * np.sign(middle[2]) > 1e-9 * np.abs(seen[:, 2]).max()
    if front.sum() < _RIM:
        raise ScaleError(_ALONG)
    mm = seen[front, :2] / seen[front, 2:]
    low, high = mm.min(0), mm.max(0)
    if len(anchor):
        at = plane.to_mm(anchor)
        extent = np.ptp(at, axis=0).max()
        # a small datum, such as a card, lies far from a part that is in the photo all the same
        typical = extent / max(float(np.ptp(anchor, axis=0).max()), 1.0)
        reach = max(_FAR * extent, _ACROSS * float(np.hypot(w, h)) * typical)
        low, high = np.maximum(low, at.mean(0) - reach), np.minimum(high, at.mean(0) + reach)
    return float(low[0]), float(low[1]), float(high[0]), float(high[1])


def _datum_px(job: Job) -> Floats:
    for datum in job.datums:
        if isinstance(datum, SheetDatum):
            return np.array(datum.corners, np.float64)
        if isinstance(datum, GaugeDatum):
            return np.array(datum.points, np.float64)[:, :2]
    return np.zeros((0, 2))


def _finest(plane: Plane, picture: Picture, field: tuple[float, float, float, float]) -> float:
    """Return the side of a pixel, mm, that loses no detail, if that many pixels can be held."""
    x, y = np.meshgrid(np.linspace(0.02, 0.98, 9), np.linspace(0.02, 0.98, 9))
    raw = np.column_stack([x.ravel() * picture.width, y.ravel() * picture.height])
    sizes = plane.mm_per_px(raw)
    good = np.isfinite(sizes) & (sizes > 0)
    area = (field[2] - field[0]) * (field[3] - field[1])
    most = min(_GROWTH * picture.width * picture.height, MOST_PIXELS)
    return float(max(np.quantile(sizes[good], 0.1), np.sqrt(area / most)))


def _resampled(
    grey: Raster,
    plane: Plane,
    size: float,
    width: int,
    height: int,
    work: Work,
) -> Raster:
    """Return `grey` (H, W), or colours, as the plane has it: cubically, in bands of rows."""
    import cv2

    to_mm = np.array([[size, 0, 0.5 * size], [0, -size, (height - 0.5) * size], [0, 0, 1.0]])
    lens = plane.lens
    k1 = lens.k1
    made = np.empty((height, width, *grey.shape[2:]), grey.dtype)
    white = (float(np.iinfo(grey.dtype).max),) * 3  # beyond the photo; never traced
    matrix = plane.matrix @ to_mm  # rectified pixel (column, row) to ideal px
    band = max(1, 2_000_000 // width)
    for top in range(0, height, band):
        work.step(0.1 + 0.85 * top / height)
        rows = min(band, height - top)
        shifted = matrix @ np.array([[1.0, 0, 0], [0, 1, top], [0, 0, 1]])
        if k1 == 0:
            corner = np.array([[1.0, 0, -0.5], [0, 1, -0.5], [0, 0, 1]])
            made[top : top + rows] = cv2.warpPerspective(
                grey,
                corner @ shifted,
                (width, rows),
                flags=cv2.INTER_CUBIC | cv2.WARP_INVERSE_MAP,
                borderMode=cv2.BORDER_CONSTANT,
                borderValue=white,
            )
            continue
        # OpenCV's own fast maps: px of the new picture -> camera rays -> bent -> px of the old one
        half = np.array([[0, 0, 0.5], [0, 0, 0.5], [0, 0, 0]])  # its places count from px centres
        back = np.linalg.inv(np.linalg.inv(lens.matrix) @ shifted)
        maps = cv2.initUndistortRectifyMap(
            lens.matrix - half,
            np.array([k1, 0, 0, 0]),
            np.eye(3),
            back,
            (width, rows),
            cv2.CV_32FC1,
        )
        made[top : top + rows] = cv2.remap(
            grey,
            maps[0],
            maps[1],
            cv2.INTER_CUBIC,
            borderMode=cv2.BORDER_CONSTANT,
            borderValue=white,
        )
    made.setflags(write=False)
    return made
