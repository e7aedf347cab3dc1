"""The camera: its lens, the plane it looks at, and where it stands.

Words used here
    raw       picture coordinates as the camera made them, px, y down, corner origin
    ideal     where they would lie without lens distortion, px
    plane     mm, x right, y up as seen from the camera, z towards the camera
    height    mm above the plane in which the datum lies
    homography  the 3 x 3 matrix that takes (x mm, y mm, 1) to ideal px

Distortion is radial with one coefficient, ``raw = centre + (ideal - centre) (1 + k1 r²)`` with r in
focal lengths from the centre: the first term of D. C. Brown, "Close-Range Camera Calibration",
Photogrammetric Engineering 37(8), 1971, 855-866.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from silhueta.core.errors import ScaleError
from silhueta.core.geometry.path import Floats

FILM_DIAGONAL = 43.2666  # mm, of the 36 x 24 frame that a 35-mm equivalent speaks of
_NEWTON = 12
_LEAST_TILT = 0.02  # relative inequality under which an estimated focal length is noise


@dataclass(frozen=True)
class Lens:
    """Focal length, centre and distortion.

    Parameters
    ----------
    focal : float, px
    centre : (x, y), px
        Where the optical axis meets the picture.
    k1 : float
        Radial distortion; negative: barrel.

    """

    focal: float
    centre: tuple[float, float]
    k1: float = 0.0

    @property
    def matrix(self) -> Floats:
        """What takes rays (x, y, 1) before the camera to ideal px, (3, 3)."""
        x, y = self.centre
        return np.array([[self.focal, 0, x], [0, self.focal, y], [0, 0, 1.0]])

    def bend(self, ideal: Floats) -> Floats:
        """Return where ideal points (N, 2) lie in the picture, px."""
        if self.k1 == 0:
            return ideal
        away = (ideal - self.centre) / self.focal
        return np.asarray(
            self.centre + (ideal - self.centre) * (1 + self.k1 * (away**2).sum(1, keepdims=True))
        )

    def straighten(self, raw: Floats) -> Floats:
        """Return where raw points (N, 2) would lie without distortion, px; undoes :meth:`bend`."""
        if self.k1 == 0:
            return raw
        away = (raw - self.centre) / self.focal
        bent = np.sqrt((away**2).sum(1))
        r = bent.copy()
        for _ in range(_NEWTON):
            slope = np.maximum(1 + 3 * self.k1 * r**2, 0.05)
            nearer = r - (r + self.k1 * r**3 - bent) / slope
            if np.array_equal(nearer, r):
                break
            r = nearer
        share = np.divide(r, bent, out=np.ones_like(r), where=bent > 1e-12)
        return np.asarray(self.centre + (raw - self.centre) * share[:, None])


@dataclass(frozen=True, eq=False)
class Plane:
    """A plane in front of the camera: where its millimetres lie in the picture.

    Parameters
    ----------
    matrix : (3, 3) array
        Homography from mm to ideal px.
    lens : Lens

    """

    matrix: Floats
    lens: Lens

    def __post_init__(self) -> None:
        matrix = np.array(self.matrix, np.float64)
        if matrix.shape != (3, 3) or not np.isfinite(matrix).all():
            raise ScaleError("the datum gives no plane; pick its points again, far from each other")
        matrix.setflags(write=False)
        object.__setattr__(self, "matrix", matrix)

    @cached_property
    def inverse(self) -> Floats:
        """Homography from ideal px to mm."""
        try:
            return np.asarray(np.linalg.inv(self.matrix))
        except np.linalg.LinAlgError as error:
            raise ScaleError(
                "the datum's points lie in one line; pick four corners of a rectangle"
            ) from error

    def to_px(self, mm: Floats) -> Floats:
        """Return where points (N, 2) of the plane in mm lie in the picture, raw px."""
        return self.lens.bend(apply(self.matrix, mm))

    def to_mm(self, px: Floats) -> Floats:
        """Return where raw px (N, 2) lie on the plane, mm."""
        return apply(self.inverse, self.lens.straighten(px))

    def mm_per_px(self, px: Floats) -> Floats:
        """Return the side of a pixel at raw px (N, 2), mm: the root of the area it covers."""
        half = 0.5
        right = self.to_mm(px + [half, 0]) - self.to_mm(px - [half, 0])
        down = self.to_mm(px + [0, half]) - self.to_mm(px - [0, half])
        return np.sqrt(np.abs(right[:, 0] * down[:, 1] - right[:, 1] * down[:, 0]))

    @cached_property
    def _columns(self) -> Floats:
        """The plane's axes, a mm long but not yet squared, and its origin, as columns (3, 3)."""
        columns = np.linalg.inv(self.lens.matrix) @ self.matrix
        size = (np.linalg.norm(columns[:, 0]) + np.linalg.norm(columns[:, 1])) / 2
        return np.asarray(columns / (size if columns[2, 2] > 0 else -size))

    @cached_property
    def pose(self) -> tuple[Floats, Floats]:
        """The plane's axes (3, 3) as columns, and its origin (3,), in the camera's mm.

        The axes are the nearest orthonormal ones: exact when homography and focal length agree.
        """
        columns = self._columns
        turn, _, turn2 = np.linalg.svd(
            np.column_stack([columns[:, 0], columns[:, 1], np.cross(columns[:, 0], columns[:, 1])])
        )
        return turn @ turn2, columns[:, 2]

    @property
    def eye(self) -> Floats:
        """Where the camera stands above the plane, (x, y, z) mm; z is its height."""
        axes, origin = self.pose
        return -axes.T @ origin

    def raised(self, height: float) -> Plane:
        """Return the plane `height` mm nearer to the camera, with the same x and y.

        Raises
        ------
        ScaleError
            If the camera is not above that plane.

        """
        if height == 0:
            return self
        if height >= self.eye[2] * 0.9:
            raise ScaleError(
                f"a part {height:g} mm thick would reach the camera, which stands about "
                f"{self.eye[2]:.0f} mm above the datum; check the thickness and its unit"
            )
        # the picture of (x, y, height): what moves with height is the axis towards the camera
        columns = self._columns.copy()
        columns[:, 2] += height * self.pose[0][:, 2]
        return replace(self, matrix=self.lens.matrix @ columns)

    def with_origin(self, x: float, y: float) -> Plane:
        """Return the same plane, its zero point at (x, y) mm."""
        return replace(self, matrix=self.matrix @ np.array([[1.0, 0, x], [0, 1, y], [0, 0, 1]]))

    def turned(self, turn: NDArray[np.float64]) -> Plane:
        """Return the same plane with other axes: `turn` (2, 2) takes new mm to old."""
        whole = np.eye(3)
        whole[:2, :2] = turn
        return replace(self, matrix=self.matrix @ whole)

    def leaned(self, about_x: float, about_y: float) -> Plane:
        """Return the plane as the camera sees it after it leans by angles about its axes, rad."""
        (sx, cx), (sy, cy) = ((np.sin(a), np.cos(a)) for a in (about_x, about_y))
        lean = np.array([[1, 0, 0], [0, cx, -sx], [0, sx, cx]]) @ [
            [cy, 0, sy],
            [0, 1, 0],
            [-sy, 0, cy],
        ]
        camera = self.lens.matrix
        return replace(self, matrix=camera @ lean @ np.linalg.inv(camera) @ self.matrix)

    def scaled(self, factor: float) -> Plane:
        """Return the plane as if everything on it were `factor` times as large."""
        return replace(self, matrix=self.matrix @ np.diag([1 / factor, 1 / factor, 1]))


def apply(matrix: Floats, points: Floats) -> Floats:
    """Return points (N, 2) moved by a homography."""
    moved = points @ matrix[:, :2].T + matrix[:, 2]
    return moved[:, :2] / moved[:, 2:]


def box_corners(width: float, height: float) -> Floats:
    """Return the corners (4, 2) of a box from (0, 0), mm, clockwise from its top left."""
    return np.array([[0, height], [width, height], [width, 0], [0, 0.0]])


def level_plane(across: float, down: float, height_px: float, lens: Lens) -> Plane:
    """Return the plane of a camera or scanner straight above, a pixel `across` by `down` mm."""
    return Plane(np.array([[1 / across, 0, 0], [0, -1 / down, height_px], [0, 0, 1.0]]), lens)


def homography(mm: Floats, px: Floats) -> Floats:
    """Return the homography that takes `mm` to ideal `px`, both (N >= 4, 2), with h33 = 1.

    The normalised direct linear transform: R. Hartley and A. Zisserman, "Multiple View Geometry
    in Computer Vision", 2nd edition, 2004, algorithm 4.2.

    Raises
    ------
    ScaleError
        If the points lie in one line or too close together.

    """
    t1, one = _normal(mm)
    t2, two = _normal(px)
    rows = np.zeros((2 * len(mm), 9))
    rows[0::2, 0:2], rows[0::2, 2] = one, 1
    rows[1::2, 3:5], rows[1::2, 5] = one, 1
    rows[0::2, 6:8], rows[0::2, 8] = -two[:, :1] * one, -two[:, 0]
    rows[1::2, 6:8], rows[1::2, 8] = -two[:, 1:] * one, -two[:, 1]
    _, strength, right = np.linalg.svd(rows, full_matrices=len(rows) < 9)
    if strength[7] < 1e-9 * strength[0]:
        raise ScaleError("the datum's points lie in one line; pick them again, as a rectangle")
    matrix = np.linalg.inv(t2) @ right[8].reshape(3, 3) @ t1
    return np.asarray(matrix / matrix[2, 2])


def _normal(points: Floats) -> tuple[Floats, Floats]:
    middle = points.mean(0)
    spread = float(np.sqrt(((points - middle) ** 2).sum(1).mean()))
    if not spread > 0:
        raise ScaleError("the datum's points are all the same; pick them far from each other")
    k = np.sqrt(2) / spread
    return (
        np.array([[k, 0, -k * middle[0]], [0, k, -k * middle[1]], [0, 0, 1]]),
        (points - middle) * k,
    )


def focal_from_35mm(equivalent: float, width: int, height: int) -> float:
    """Return the focal length in px of a picture whose 35-mm equivalent is known.

    The equivalent has the same angle of view along the diagonal, as CIPA DCG-001 lays down for
    the Exif tag FocalLengthIn35mmFilm.
    """
    return equivalent / FILM_DIAGONAL * float(np.hypot(width, height))


def focal_from_plane(matrix: Floats, centre: tuple[float, float]) -> float | None:
    """Return the focal length in px that makes the plane's axes square and equal, or None.

    Only a tilted plane tells: seen straight from above every focal length will do.

    References
    ----------
    Z. Zhang, "A flexible new technique for camera calibration", IEEE Transactions on Pattern
    Analysis and Machine Intelligence 22(11), 2000, 1330-1334: the two constraints of one plane.

    """
    shift = np.array([[1, 0, -centre[0]], [0, 1, -centre[1]], [0, 0, 1.0]])
    (a1, b1, c1), (a2, b2, c2) = (shift @ matrix)[:, :2].T
    size = (a1 * a1 + b1 * b1 + a2 * a2 + b2 * b2) / 2
    # (a1 a2 + b1 b2) / f² + c1 c2 = 0 and (a1² + b1² - a2² - b2²) / f² + c1² - c2² = 0
    left = np.array([a1 * a2 + b1 * b2, (a1 * a1 + b1 * b1 - a2 * a2 - b2 * b2) / 2]) / size
    right = -np.array([c1 * c2, (c1 * c1 - c2 * c2) / 2]) / size
    if np.hypot(*left) < _LEAST_TILT:
        return None
    inverse = float(left @ right / (left @ left))
    return float(1 / np.sqrt(inverse)) if inverse > 0 else None
