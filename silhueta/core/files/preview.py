"""A small picture of a job, by which a person knows it again."""

from __future__ import annotations

import cv2
import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.path import Floats, Loop
from silhueta.core.job import Job, PictureFile

SIZE = 256  # px of its sides: enough to know a part by, 4 to 20 kB
_PAD = 12  # px all round
_PAPER, _FACE, _LINE = (244, 246, 247), (222, 226, 228), (58, 48, 40)  # blue, green, red
_PARTS = 4  # binary digits after the point that OpenCV's places have
_LARGE = 60_000_000  # bytes of a picture file, over which it is not opened for this


def preview(job: Job, size: int = SIZE) -> bytes:
    """Return a PNG (size, size) of a job's outline; of its picture where nothing was traced."""
    shown = np.empty((size, size, 3), np.uint8)
    shown[:] = _PAPER
    paths = job.outline.taken
    if paths:
        _outline(shown, job)
    elif job.picture is not None:
        _picture(shown, job.picture)
    ready, written = cv2.imencode(".png", shown)
    assert ready
    return written.tobytes()


def _outline(shown: NDArray[np.uint8], job: Job) -> None:
    """Draw the outline, closed shapes with their holes left out."""
    left, bottom, right, top = job.outline.bounds
    room = shown.shape[0] - 2 * _PAD
    scale = room / max(right - left, top - bottom, 1e-9)
    beside = np.array([room - (right - left) * scale, room - (top - bottom) * scale]) / 2

    def placed(points: Floats) -> NDArray[np.int32]:
        at = (points - [left, top]) * scale * [1.0, -1.0] + _PAD + beside
        places: NDArray[np.int32] = np.rint(at * 2**_PARTS).astype(np.int32)
        return places

    fine = 0.3 / scale  # a third of a pixel
    taken = [contour for contour in job.outline.contours if contour.taken]
    lines = [placed(flatten(contour.path, fine)) for contour in taken]
    faces = [
        line
        for line, one in zip(lines, taken, strict=True)
        if one.cut and isinstance(one.path, Loop)
    ]
    if faces:
        cv2.fillPoly(shown, faces, _FACE, cv2.LINE_AA, _PARTS)
    for line, one in zip(lines, taken, strict=True):
        closed = isinstance(one.path, Loop)
        cv2.polylines(shown, [line], closed, _LINE, 1, cv2.LINE_AA, _PARTS)


def _picture(shown: NDArray[np.uint8], file: PictureFile) -> None:
    """Put the picture in, as large as it goes; one that OpenCV does not know is left out."""
    small = small_picture(file.data, shown.shape[0] - 2 * _PAD)
    if small is None:
        return
    high, wide = small.shape[:2]
    y, x = (shown.shape[0] - high) // 2, (shown.shape[1] - wide) // 2
    shown[y : y + high, x : x + wide] = small


def small_picture(data: bytes, long: int) -> NDArray[np.uint8] | None:
    """Return a picture file's pixels (H, W, 3: blue, green, red), its longer side so many px.

    None of a file that is very large, or that OpenCV does not know.
    """
    if len(data) > _LARGE:
        return None
    try:
        found = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_REDUCED_COLOR_4)
    except cv2.error:
        return None
    if found is None or not found.size:
        return None
    high, wide = found.shape[:2]
    scale = long / max(high, wide)
    to = (max(1, round(wide * scale)), max(1, round(high * scale)))
    small: NDArray[np.uint8] = np.asarray(
        cv2.resize(found, to, interpolation=cv2.INTER_AREA), np.uint8
    )
    return small
