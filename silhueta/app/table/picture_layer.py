"""The picture under the outline, quick at every magnification."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QRectF
from PySide6.QtGui import QImage, QPainter, qRgb

from silhueta.core.picture.decode import Picture

_GREYS = [qRgb(v, v, v) for v in range(256)]
_PART, _GROUND = qRgb(61, 67, 72), qRgb(250, 247, 238)


class PictureLayer:
    """A picture as images of full, half, quarter ... size; the nearest larger one is painted."""

    def __init__(self, picture: Picture) -> None:
        self.picture = picture
        grey = picture.grey if picture.grey.dtype == np.uint8 else (picture.grey >> 8)
        self._levels: list[QImage] = [_image(grey.astype(np.uint8, copy=False))]
        self.width, self.height = picture.width, picture.height
        self._reduce(grey.astype(np.uint8, copy=False))

    def _reduce(self, grey: np.ndarray) -> None:
        import cv2

        while min(grey.shape) > 400:
            grey = cv2.resize(grey, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
            self._levels.append(_image(grey))

    def set_preview(self, level: float | None, dark: bool = True) -> None:
        """Show what is darker (or lighter) than `level` as part and the rest as ground."""
        table = _GREYS
        if level is not None:
            table = [_PART if (v < level) == dark else _GROUND for v in range(256)]
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
        image = self._levels[number]
        kx, ky = image.width() / target.width(), image.height() / target.height()
        source = QRectF(
            (seen.left() - target.left()) * kx,
            (seen.top() - target.top()) * ky,
            seen.width() * kx,
            seen.height() * ky,
        )
        painter.drawImage(seen, image, source)


def _image(grey: np.ndarray) -> QImage:
    grey = np.ascontiguousarray(grey)
    height, width = grey.shape
    image = QImage(grey.data, width, height, width, QImage.Format.Format_Indexed8).copy()
    image.setColorTable(_GREYS)
    return image
