"""A photo, and the small picture of it in which the part is looked for.

Words used here
    scene   the photo, and what is known of it before anything is looked for
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.path import Floats
from silhueta.core.picture.light import TOP, in_light
from silhueta.core.trace.edge.walls import Walls
from silhueta.core.trace.part.looks import (
    Light,
    Mask,
    Seen,
)

_SMALL = 400_000  # px of the picture in which the part is looked for
_RIM_MM, _CLEAR_MM = 0.8, 2.0  # inside and outside of the sheet's edge that is of neither side
_AT_ONCE = 25_000_000  # px whose light is worked out at once: 6 bytes each
_CLOSER = 600_000  # px of the one in which its holes are
_AROUND_MM = 6.0
_FINE_MM, _FINE = 0.15, 3_000_000  # side, mm, and number of the pixels in which edges are seen


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
    closely : bool
        Whether edges are measured to a fraction of a pixel; else to about one.

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
    closely: bool = True


def small_of(scene: Scene) -> tuple[Seen, float, Mask | None]:
    """Return what is seen in a small picture of a scene, its factor, and where marks lie."""
    import cv2

    rows, columns = scene.colours.shape[:2]
    factor = min(1.0, float(np.sqrt(_SMALL / (rows * columns))))
    size = (max(8, round(columns * factor)), max(8, round(rows * factor)))
    factor = size[0] / columns
    whole = in_light(_shrunk_by(scene.colours, math.isqrt(rows * columns // _AT_ONCE)))
    light = cv2.resize(whole, size, interpolation=cv2.INTER_AREA).astype(np.float32) / TOP
    grain = _grain(whole[..., 1], size) / np.sqrt(light[..., 1] + 0.002)
    steep = _steep(whole, scene.mm * columns / whole.shape[1], size)
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
        ink = shrunk(scene.printed, size, 0.08)
        ink = cv2.dilate(ink.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
        domain, on, off = domain & ~ink, on & ~ink, off & ~ink
    barred = None
    if scene.marks is not None and len(scene.marks):
        spots = np.zeros(shape, np.uint8)
        for x, y in (scene.marks * factor).tolist():
            cv2.circle(spots, (round(x), round(y)), 3, 1, -1)
        barred = spots > 0
    seen = Seen(light, grain.astype(np.float32), domain, on, off, mm, scene.thickness, steep)
    return seen, factor, barred


class Closeup(NamedTuple):
    """A box of a scene, seen closer.

    left, top : int, px
        Of the box in the scene.
    scale : float
        px of it a px of the scene.
    box : (slice, slice)
        In the small picture.
    whole : (h, w, 3) of uint16
        Its light in the scene's own pixels.
    light : (H, W, 3) of float32
        Linear, 0 to 1.
    """

    left: int
    top: int
    scale: float
    box: tuple[slice, slice]
    whole: NDArray[np.uint16]
    light: Light

    @property
    def size(self) -> tuple[int, int]:
        """Width and height, px."""
        return self.light.shape[1], self.light.shape[0]

    @property
    def shown(self) -> Light:
        """Linear light in the scene's own pixels, 0 to 1, (h, w, 3)."""
        return self.whole.astype(np.float32) / np.float32(TOP)

    def near(self, mask: Mask) -> Mask:
        """Return a mask of the small picture, closer."""
        import cv2

        return np.asarray(cv2.resize(mask[self.box].astype(np.float32), self.size) > 0.5)

    def hint(self, mask: Mask | None) -> Mask | None:
        """Return a mask of the scene, smaller."""
        if mask is None:
            return None
        rows, columns = self.whole.shape[:2]
        own = mask[self.top : self.top + rows, self.left : self.left + columns]
        return shrunk(own, self.size, 0.5)


def closeup(scene: Scene, seen: Seen, part: Mask, factor: float) -> Closeup:
    """Return a part of the small picture closer, with some ground round it."""
    import cv2

    rows, columns = np.nonzero(part)
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
    return Closeup(left, top, scale, box, whole, np.asarray(light, np.float32))


def _shrunk_by(colours: NDArray[np.uint8], times: int) -> NDArray[np.uint8]:
    """Return a picture so many times smaller."""
    import cv2

    if times < 2:
        return colours
    size = (colours.shape[1] // times, colours.shape[0] // times)
    return np.asarray(cv2.resize(colours, size, interpolation=cv2.INTER_AREA), np.uint8)


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


def _steep(light: NDArray[np.uint16], mm: float, size: tuple[int, int]) -> Light:
    """Return the steepest change of the logarithm of light within each of `size` pixels.

    Seen at a tenth or two of a millimetre, where a shadow's edge is soft and a part's is not.
    """
    import cv2

    factor = min(1.0, max(mm / _FINE_MM, float(np.sqrt(_FINE / (light.shape[0] * light.shape[1])))))
    fine = (round(light.shape[1] * factor), round(light.shape[0] * factor))
    shown = cv2.resize(light, fine, interpolation=cv2.INTER_AREA).astype(np.float32)
    grey = cv2.transform(shown, np.full((1, 3), 1 / (3 * TOP), np.float32))
    level = cv2.GaussianBlur(cv2.log(grey + np.float32(0.01)), (0, 0), 0.8)
    across, down = (cv2.Sobel(level, cv2.CV_32F, *way, scale=1 / 8) for way in ((1, 0), (0, 1)))
    change = cv2.magnitude(across, down)
    side = max(1, round(fine[0] / size[0]))
    pooled = cv2.dilate(change, np.ones((side, side), np.uint8))
    return np.asarray(cv2.resize(pooled, size, interpolation=cv2.INTER_NEAREST), np.float32)


def fine_grain(green: NDArray[np.uint16], light: Light, size: tuple[int, int]) -> Light:
    """Return the grain of surfaces close up, without that of the edges between them.

    An edge is narrow: it is no more than a few of the pixels whose median counts.
    """
    import cv2

    raw = _grain(green, size) / np.sqrt(light + np.float32(0.002))
    calm = cv2.medianBlur(cv2.medianBlur(np.ascontiguousarray(raw, np.float32), 5), 5)
    return np.asarray(cv2.GaussianBlur(calm, (0, 0), 2.0), np.float32)


def shrunk(mask: Mask, size: tuple[int, int], least: float) -> Mask:
    """Return where at least a share `least` of each pixel of a smaller picture is in a mask."""
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
