"""The picture under the outline, quick at every magnification."""

from __future__ import annotations

import threading
from collections import deque
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QRectF
from PySide6.QtGui import QImage, QPainter, qRgb

from silhueta.core.picture.decode import Picture

_GREYS = [qRgb(v, v, v) for v in range(256)]
_PART, _GROUND = qRgb(61, 67, 72), qRgb(250, 247, 238)

# what of some greys (H, W) is part, where a pixel is so many px of the picture wide
Rule = Callable[[NDArray[np.uint8], float], NDArray[np.bool_]]


class PictureLayer:
    """A picture as images of full, half, quarter ... size; the nearest larger one is painted.

    In its own colours where they are given; in grey where a control works on greys (a preview).
    """

    def __init__(self, picture: Picture, colours: NDArray[np.uint8] | None = None) -> None:
        self.picture, self.colours = picture, colours
        self._coloured: list[QImage] = []
        self._previewed = False
        if colours is not None and colours.shape[:2] == picture.grey.shape:
            self._coloured = _pyramid(colours)
        grey = picture.grey if picture.grey.dtype == np.uint8 else (picture.grey >> 8)
        self._levels: list[QImage] = [_image(grey.astype(np.uint8, copy=False))]
        self._rule: Rule | None = None
        self._eight: NDArray[np.uint8] | None = None
        self.width, self.height = picture.width, picture.height
        self._reduce(grey.astype(np.uint8, copy=False))

    def _reduce(self, grey: np.ndarray) -> None:
        import cv2

        while min(grey.shape) > 400:
            grey = cv2.resize(grey, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
            self._levels.append(_image(grey))

    def eight(self) -> NDArray[np.uint8]:
        """Return the greys, (H, W) of 8 bits, made once."""
        if self._eight is None:
            self._eight = self.picture.eight()
        return self._eight

    def set_preview(self, part: NDArray[np.bool_] | Rule | None) -> None:
        """Show part and ground in place of the greys: which greys (256) are part, or by a rule."""
        table = _GREYS
        self._rule = part if callable(part) else None
        self._previewed = part is not None
        if part is not None and not callable(part):
            table = [_PART if is_part else _GROUND for is_part in part.tolist()]
        for image in self._levels:
            image.setColorTable(table)

    def paint(self, painter: QPainter, target: QRectF) -> None:
        """Paint the picture into `target`, screen px."""
        scale = target.width() / self.width * painter.device().devicePixelRatioF()
        number = 0
        while number + 1 < len(self._levels) and scale < 0.5 ** (number + 1):
            number += 1
        smooth = scale < 3  # closer than this, people want to see the pixels
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, smooth)
        clip = painter.clipBoundingRect() if painter.hasClipping() else QRectF(painter.viewport())
        seen = target.intersected(clip.adjusted(-2, -2, 2, 2))
        if seen.isEmpty():
            return
        levels = self._levels if self._previewed or not self._coloured else self._coloured
        image = levels[number]
        kx, ky = image.width() / target.width(), image.height() / target.height()
        source = QRectF(
            (seen.left() - target.left()) * kx,
            (seen.top() - target.top()) * ky,
            seen.width() * kx,
            seen.height() * ky,
        )
        if self._rule is not None:
            image, source = self._ruled(image, source, float(2**number))
        painter.drawImage(seen, image, source)

    def _ruled(self, image: QImage, source: QRectF, wide: float) -> tuple[QImage, QRectF]:
        """Return part and ground by the rule, of what is seen and as much again around it."""
        assert self._rule is not None
        width, height = image.width(), image.height()
        rows = np.frombuffer(image.constBits(), np.uint8).reshape(height, image.bytesPerLine())
        reach = 0.5 * max(source.width(), source.height())
        left, top = max(int(source.left() - reach), 0), max(int(source.top() - reach), 0)
        right = min(int(source.right() + reach) + 1, width)
        bottom = min(int(source.bottom() + reach) + 1, height)
        part = self._rule(np.ascontiguousarray(rows[top:bottom, left:right]), wide)
        made = _image(part.astype(np.uint8))
        made.setColorTable([_GROUND, _PART])
        return made, source.translated(-left, -top)


_ready: deque[PictureLayer] = deque(maxlen=2)  # a photo, and the same at true size
_lock = threading.Lock()


def prepare(picture: Picture, colours: NDArray[np.uint8] | None = None) -> None:
    """Make the layer of a picture before the interface asks for it; for any thread."""
    made = PictureLayer(picture, colours)
    with _lock:
        _ready.append(made)


def layer_of(picture: Picture, colours: NDArray[np.uint8] | None = None) -> PictureLayer:
    """Return a picture's layer: the one that was prepared, once, or a new one."""
    with _lock:
        for made in _ready:
            if made.picture is picture and made.colours is colours:
                _ready.remove(made)
                return made
    return PictureLayer(picture, colours)


def _pyramid(colours: NDArray[np.uint8]) -> list[QImage]:
    import cv2

    levels = []
    while True:
        shown = np.ascontiguousarray(colours)
        height, width = shown.shape[:2]
        made = QImage(shown.data, width, height, 3 * width, QImage.Format.Format_RGB888)
        levels.append(made.copy())
        if min(height, width) <= 400:
            return levels
        colours = np.asarray(
            cv2.resize(shown, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA), np.uint8
        )


def _image(grey: np.ndarray) -> QImage:
    grey = np.ascontiguousarray(grey)
    height, width = grey.shape
    image = QImage(grey.data, width, height, width, QImage.Format.Format_Indexed8).copy()
    image.setColorTable(_GREYS)
    return image
