"""Whether a picture's values were blended as light or as stored numbers: evidence that adds up.

Words used here
    light     "linear": a camera or scanner gathered light, and the file bent it afterwards;
              "stored": a program blended the values that the file holds
    evidence  log of how much likelier one thing is under "linear" than under "stored"
    cell      a square of eight by eight pixels, as JPEG works in, with no edge near it
    clipped   as dark or as bright as a value can be: there no grain is left to tell
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from silhueta.core.picture.decode import Picture
from silhueta.core.remembered import Remembered

Light = Literal["linear", "stored"]

_MOST = 2400  # px of each side that are looked at, in the middle
_EDGE = 40  # grey values between neighbours, from which there is an edge
_REACH = 9  # px round an edge that are no flat ground
_DARK, _BRIGHT = 3, 252  # values beyond these are clipped
_LEAST = 30  # cells, from which they tell something
_STEP = 100  # grey values of an edge whose width is measured
_PROFILES = 20_000  # rows across edges that are measured at most
# Evidence, no source: set by judgement, and tried on 60 rendered scans and 240 graphics, all of
# which come out right and sure. What counts is the order: a name in the file beats all pixels, flat
# ground beats all weak hints together, and no weak hint (under 2.5) is sure by itself.
_NAMED = 8.0  # the file names a camera or scanner: more than all pixels could say against it
_SAID = 5.0  # a person says that it is a scanned page, or shows a sheet: less than same cells
_PALETTE = -5.0  # numbers of a few colours: scanners save none, but a scan may be saved so later
_JPEG, _DPI = 1.0, 1.5  # graphics are seldom saved so, but are: weak
# flat ground that is the same everywhere (all graphics here) or hardly anywhere (all scans, which
# have at most 43 % of neighbouring cells alike): the strongest that pixels tell
_SAME_CELLS, _OTHER_CELLS = -6.0, 5.0
# of ground that is clipped the same tells less: an overexposed scan may lose all of its grain
_CLEAN_CLIPPED, _GRAINY_CLIPPED = -3.0, 3.0
# edges across a single px (0.75 px in all icons here) or over more: sharpened scans come near it,
# and blurred graphics look like scans, so that soft edges tell least of all
_CRISP, _SOFT = -2.0, 1.0
_FEW, _FEW_GREYS = -3.0, 40  # so few grey values are a program's: icons here have 30, scans 160
_SURE = 2.5  # evidence, under which the question stays open: what the two weakest hints make


@dataclass(frozen=True)
class Blend:
    """How a picture was blended, and how sure that is.

    light : {"linear", "stored"}
    evidence : float
        Above zero for "linear".
    """

    light: Light
    evidence: float

    @property
    def other(self) -> Light:
        """The other answer."""
        return "stored" if self.light == "linear" else "linear"

    @property
    def open(self) -> bool:
        """Whether it could be the other one as well."""
        return abs(self.evidence) < _SURE


def blend_of(picture: Picture, said: bool = False) -> Blend:
    """Return how a picture was blended.

    Parameters
    ----------
    picture : Picture
    said : bool
        Whether a person says that it is a scan or a photo: a page, a sheet, a gauge sheet.

    """
    told = _NAMED * (picture.caught or picture.focal35 is not None) + _SAID * said
    told += _PALETTE * picture.palette
    told += _JPEG * (picture.format in ("JPEG", "HEIF")) + _DPI * (picture.dpi is not None)
    if told < _NAMED - 2:
        told += _in_pixels(picture)
    return Blend("linear" if told > 0 else "stored", told)


def light_of(picture: Picture, said: bool = False) -> Light:
    """Return whether the picture's values were blended as light or as stored numbers."""
    return blend_of(picture, said).light


def _looked_at(picture: Picture) -> float:
    """Return the evidence of grey values, flat ground and edges."""
    import cv2

    grey = picture.eight()
    rows, columns = grey.shape
    top, left = max(0, rows - _MOST) // 2, max(0, columns - _MOST) // 2
    part = np.ascontiguousarray(grey[top : top + _MOST, left : left + _MOST])
    if min(part.shape) < 16:
        return 0.0
    ring = np.ones((3, 3), np.uint8)
    steps = cv2.dilate(part, ring).astype(np.int16) - cv2.erode(part, ring)
    near = cv2.dilate((steps > _EDGE).astype(np.uint8), np.ones((_REACH, _REACH), np.uint8)) > 0
    few = _FEW * (len(np.unique(part)) <= _FEW_GREYS)
    return few + _ground(part, ~near) + _edges(part)


# opening a picture asks for it, and so does its trace
_in_pixels: Remembered[Picture, float] = Remembered(_looked_at)


def _ground(part: NDArray[np.uint8], flat: NDArray[np.bool_]) -> float:
    """Return what flat ground tells: a program's is the same everywhere, light's never.

    JPEG makes many cells of a scan even, but hardly two beside each other the same.
    """
    clipped = (part <= _DARK) | (part >= _BRIGHT)
    alike = _alike_cells(part, flat & ~clipped)
    if alike is not None:
        if alike > 0.9:
            return _SAME_CELLS
        return _OTHER_CELLS if alike < 0.6 else _OTHER_CELLS * (0.75 - alike) / 0.15
    alike = _alike_cells(part, flat & clipped)
    if alike is None:
        return 0.0
    return _CLEAN_CLIPPED if alike > 0.995 else _GRAINY_CLIPPED if alike < 0.97 else 0.0


def _alike_cells(part: NDArray[np.uint8], where: NDArray[np.bool_]) -> float | None:
    """Return which share of neighbouring cells have just the same mean; None: too few to tell."""
    high, wide = part.shape[0] // 8, part.shape[1] // 8
    box = (high, 8, wide, 8)
    whole = np.asarray(where[: 8 * high, : 8 * wide].reshape(box).all((1, 3)), np.bool_)
    total = part[: 8 * high, : 8 * wide].reshape(box).sum((1, 3), dtype=np.int64)
    pair = whole[:, 1:] & whole[:, :-1]
    if pair.sum() < _LEAST:
        return None
    return float((np.diff(total, axis=1) == 0)[pair].mean())


def _edges(part: NDArray[np.uint8]) -> float:
    """Return what the width of edges tells: a program's cross a single pixel."""
    widths = [w for w in (_widths(part), _widths(part.T)) if len(w)]
    if not widths or sum(map(len, widths)) < _LEAST:
        return 0.0
    width = float(np.median(np.concatenate(widths)))
    return _CRISP if width < 0.8 else _SOFT if width > 1.2 else 0.0


def _widths(part: NDArray[np.uint8]) -> NDArray[np.float64]:
    """Return how many px of each row across an upright edge lie between its two sides."""
    import cv2

    across, up = cv2.Sobel(part, cv2.CV_32F, 1, 0), cv2.Sobel(part, cv2.CV_32F, 0, 1)
    if part.shape[1] < 9:
        return np.zeros(0)
    upright = np.asarray(np.abs(across) > 3 * np.abs(up), np.bool_)[:, 4:-4]
    wide = part.astype(np.int16)
    step = np.abs(wide[:, 8:] - wide[:, :-8])
    slope = np.abs(np.diff(wide, axis=1))
    steepest = (slope[:, 4:-3] >= slope[:, 3:-4]) & (slope[:, 4:-3] >= slope[:, 5:-2])
    rows, columns = np.nonzero(upright & (step > _STEP) & steepest)
    if len(rows) > _PROFILES:
        pick = np.random.default_rng(0).permutation(len(rows))[:_PROFILES]
        rows, columns = rows[pick], columns[pick]
    seen = wide[rows[:, None], columns[:, None] + np.arange(9)].astype(np.float64)
    seen = seen[np.abs(seen[:, -2:].mean(1) - seen[:, :2].mean(1)) > 0.5 * _STEP]
    low, high = seen[:, :2].mean(1), seen[:, -2:].mean(1)
    share = (seen - low[:, None]) / (high - low)[:, None]
    return np.asarray((4 * np.clip(share * (1 - share), 0, None)).sum(1))
