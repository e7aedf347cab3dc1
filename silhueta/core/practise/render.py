"""A made-up photo or scan of a scene, as a JPEG.

The camera is a pinhole with a little barrel distortion. Light adds up linearly: what surfaces throw
back, less shadow and uneven light, blurred by the lens, then noise, then the sRGB curve of
IEC 61966-2-1. Walls are painted as slices between foot and top.
"""

from __future__ import annotations

import io
from dataclasses import dataclass

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray

from silhueta.core.geometry.path import Floats
from silhueta.core.practise.scene import Scene, rings_of

Light = NDArray[np.float32]
_PHOTO = (2400, 1800)  # px, enough for a tenth of a millimetre of an A4 sheet, and quickly made
_FOCAL35 = 26.0  # mm, that of most phones' main camera (common practice, no source)
_BARREL = -0.02  # k1, a place one focal length off the middle being at 1: what phones leave
_DPI = 300  # of scans, at which people scan drawings (common practice, no source)
_PAPER = 0.82  # of the light, that white paper throws back
_FINE = 3  # px of the mask for one of the picture: coverage in ninths
_SHIFT = 4  # bits behind the point, of corners of polygons
_BLUR = 0.8  # px, of the lens and of the sensor's filter
_PIECE = 3.0  # mm of an edge in one straight piece: bent by less than a hundredth of a pixel
_SHADE = 0.5  # of the light, that is missing in a shadow; the room lights it as well
_SOFT = 1.2  # mm that a shadow is softer per mm of its height


@dataclass(frozen=True, eq=False)
class _View:
    """Where places of the scene come to lie in the picture."""

    size: tuple[int, int]
    turn: Floats
    move: Floats
    lens: Floats
    bend: Floats

    def px(self, mm: Floats, height: float) -> Floats:
        """Return where places (N, 2) so high above the sheet are seen, px."""
        world = np.column_stack([mm, np.full(len(mm), height)]).astype(np.float64)
        seen = cv2.projectPoints(world, self.turn, self.move, self.lens, self.bend)[0]
        return np.asarray(seen.reshape(-1, 2))


def photo_of(scene: Scene) -> bytes:
    """Return the picture as a JPEG; a scan says its dpi in it, a photo its focal length."""
    from PIL import Image

    rng = np.random.default_rng([scene.seed, 7])
    view = _scanner(scene) if scene.scanned else _camera(scene)
    light = _lit(scene, view, rng)
    light = np.asarray(cv2.GaussianBlur(light, (0, 0), _BLUR), np.float32)
    spread = scene.noise * np.sqrt(np.maximum(light, 0.01) / 0.2)
    light = light + (rng.standard_normal(light.shape) * spread).astype(np.float32)
    stored = np.round(255 * _curve(np.clip(light, 0, 1))).astype(np.uint8)
    image, stream = Image.fromarray(stored), io.BytesIO()
    if scene.scanned:
        image.save(stream, "JPEG", quality=93, dpi=(_DPI, _DPI))
    else:
        tags = Image.Exif()
        tags.get_ifd(0x8769)[0xA405] = round(_FOCAL35)  # FocalLengthIn35mmFilm, Exif 2.32
        image.save(stream, "JPEG", quality=92, exif=tags)
    return stream.getvalue()


def _curve(light: Light) -> Light:
    return np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)


def _camera(scene: Scene) -> _View:
    """Return the view of a camera over the sheet's middle."""
    wide, high = _PHOTO
    focal = _FOCAL35 * float(np.hypot(wide, high) / np.hypot(36.0, 24.0))
    tilt, way, roll = np.radians([scene.tilt, scene.azimuth, scene.roll])
    far = max(scene.sheet[0] / wide, scene.sheet[1] / high) * focal / scene.fill
    back = np.array([np.sin(tilt) * np.cos(way), np.sin(tilt) * np.sin(way), np.cos(tilt)])
    right = np.cross([-np.sin(roll), np.cos(roll), 0.0], back)
    right /= np.linalg.norm(right)
    axes = np.stack([right, np.cross(-back, right), -back])
    eye = np.array([scene.sheet[0] / 2, scene.sheet[1] / 2, 0.0]) + far * back
    lens = np.array([[focal, 0, wide / 2], [0, focal, high / 2], [0, 0, 1.0]])
    bend = np.array([_BARREL, 0, 0, 0, 0.0])
    return _View(_PHOTO, np.asarray(cv2.Rodrigues(axes)[0], np.float64), -axes @ eye, lens, bend)


def _scanner(scene: Scene) -> _View:
    """Return the view of a scanner: as seen from very far, a page of the glass and no more."""
    dense = _DPI / 25.4
    size = round(scene.sheet[0] * dense), round(scene.sheet[1] * dense)
    roll = np.radians(scene.roll)
    axes = np.array(
        [[np.cos(roll), np.sin(roll), 0], [np.sin(roll), -np.cos(roll), 0], [0, 0, -1.0]]
    )
    far = 1e6
    eye = np.array([scene.sheet[0] / 2, scene.sheet[1] / 2, far])
    lens = np.array([[far * dense, 0, size[0] / 2], [0, far * dense, size[1] / 2], [0, 0, 1.0]])
    turn = np.asarray(cv2.Rodrigues(axes)[0], np.float64)
    return _View(size, turn, -axes @ eye, lens, np.zeros(5))


class _Canvas:
    """The light of each pixel, painted over from below to above."""

    def __init__(self, shown: Light, view: _View) -> None:
        self.shown, self.view = shown, view

    def paint(self, rings: list[Floats], height: float, colour: list[float]) -> None:
        """Paint what rings (N, 2) mm enclose, so high above the sheet."""
        rows, columns, share = self.covered(rings, height)
        below = self.shown[rows, columns]
        below += share[..., None] * (np.array(colour, np.float32) - below)

    def covered(
        self, rings: list[Floats], height: float, pad: int = 2
    ) -> tuple[slice, slice, Light]:
        """Return which share of each pixel rings cover, and of which rows and columns."""
        # a lens bends straight edges: they are followed in short pieces
        short = [shapely.get_coordinates(shapely.segmentize(shapely.LinearRing(ring), _PIECE))
                 for ring in rings]  # fmt: skip
        places = [self.view.px(ring, height) for ring in short]
        every = np.concatenate(places)
        low = np.maximum(np.floor(every.min(axis=0)).astype(int) - pad, 0)
        high = np.minimum(np.ceil(every.max(axis=0)).astype(int) + pad, self.view.size)
        wide, tall = np.maximum(high - low, 1).tolist()
        mask = np.zeros((tall * _FINE, wide * _FINE), np.uint8)
        corners = [
            # corners are told from the middle of a pixel
            np.round(((place - low) * _FINE - 0.5) * 2**_SHIFT).astype(np.int32)
            for place in places
        ]
        cv2.fillPoly(mask, corners, 255, cv2.LINE_8, _SHIFT)
        small = cv2.resize(mask, (wide, tall), interpolation=cv2.INTER_AREA)
        x, y = low.tolist()
        share = small.astype(np.float32) / np.float32(255)
        return slice(y, y + tall), slice(x, x + wide), share


def _lit(scene: Scene, view: _View, rng: np.random.Generator) -> Light:
    """Return the light of each pixel, (H, W, 3) of 0 to 1."""
    wide, high = view.size
    w, h = scene.sheet
    white = [_PAPER, _PAPER * 0.99, _PAPER * 0.96]
    if scene.scanned:
        canvas = _Canvas(np.tile(np.array(white, np.float32), (high, wide, 1)), view)
    else:
        canvas = _Canvas(_bench(scene, view, rng), view)
        canvas.paint([np.array([[0, 0], [w, 0], [w, h], [0, h]])], 0.0, white)
    for ring, grey in _dust(scene, rng):
        canvas.paint([ring], 0.0, [grey] * 3)
    rings = rings_of(scene.part)
    if scene.thickness:
        dense = wide * scene.fill / w  # px a mm
        soft = max(scene.thickness * _SOFT * dense / 6, 1.0)
        away = np.array(scene.lamp) * scene.thickness
        rows, columns, shade = canvas.covered([ring + away for ring in rings], 0.0, round(4 * soft))
        shade = cv2.GaussianBlur(shade, (0, 0), soft).astype(np.float32)
        canvas.shown[rows, columns] *= (1 - np.float32(_SHADE) * shade)[..., None]
        for height in np.arange(0.0, scene.thickness, 1 / dense):  # a slice a pixel
            canvas.paint(rings, height, [scene.wall] * 3)
    canvas.paint(rings, scene.thickness, [scene.top, scene.top * 1.03, scene.top * 1.08])
    x, y = np.arange(wide) / wide - 0.5, np.arange(high) / high - 0.5
    way = np.arctan2(scene.lamp[1], scene.lamp[0])
    along = x[None] * np.cos(way) - y[:, None] * np.sin(way)
    even = (1 - scene.uneven * np.clip(0.5 + along, 0, 1)).astype(np.float32)
    return np.asarray(canvas.shown * even[..., None], np.float32)


def _bench(scene: Scene, view: _View, rng: np.random.Generator) -> Light:
    """Return the wood that the sheet lies on, with its grain along the picture."""
    wide, high = view.size
    rough = rng.standard_normal((high // 4 + 1, 24)).astype(np.float32)
    grain = np.asarray(cv2.resize(cv2.GaussianBlur(rough, (0, 0), 1.2), (wide, high)), np.float32)
    tone = np.float32(scene.bench) * (1 + 0.25 * grain / max(float(grain.std()), 1e-6))
    colour = np.array([1.15, 0.95, 0.72], np.float32)
    return np.asarray(np.clip(tone, 0.02, 0.6)[..., None] * colour, np.float32)


def _dust(scene: Scene, rng: np.random.Generator) -> list[tuple[Floats, float]]:
    """Return specks on the sheet: small irregular rings, and how light they are."""
    found = []
    for _ in range(scene.dust):
        middle = rng.uniform([0, 0], scene.sheet)
        angle = np.sort(rng.uniform(0, 2 * np.pi, 7))
        radius = rng.uniform(0.08, 0.45) * rng.uniform(0.6, 1.4, 7)
        ring = middle + radius[:, None] * np.column_stack([np.cos(angle), np.sin(angle)])
        found.append((ring, float(rng.uniform(0.2, 0.55))))
    return found
