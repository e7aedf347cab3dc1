"""Photos of a part on a sheet, for tests: small, quick, and by no model of the program's own.

The camera is OpenCV's (`projectPoints`, `undistortPoints`). Light adds up linearly: reflectance
times light, blurred by the lens, then noise, then the sRGB curve of IEC 61966-2-1. Walls differ by
the way they face, a thick part throws a shadow and its foot darkens the ground beside it, faces and
benches have grain. Full-size photos with all that a phone does to them are not made here.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import cv2
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Grey = NDArray[np.uint8]


@dataclass(frozen=True)
class Part:
    """A plate with rounded corners and round holes, mm; (x, y) is its middle on the sheet."""

    x: float
    y: float
    turn: float = 0.0  # rad
    size: tuple[float, float] = (150.0, 90.0)
    radius: float = 12.0
    holes: tuple[tuple[float, float, float], ...] = (
        (-55.0, 25.0, 12.0),
        (50.0, -20.0, 22.0),
        (0.0, 0.0, 35.0),
    )  # x, y, diameter
    thickness: float = 0.0

    def distance(self, points: Floats) -> Floats:
        """Return how far points (N, 2) lie outside the solid, mm; negative inside."""
        c, s = np.cos(self.turn), np.sin(self.turn)
        x, y = points[:, 0] - self.x, points[:, 1] - self.y
        u, v = c * x + s * y, c * y - s * x
        qx = np.abs(u) - self.size[0] / 2 + self.radius
        qy = np.abs(v) - self.size[1] / 2 + self.radius
        out = np.hypot(np.maximum(qx, 0), np.maximum(qy, 0))
        far = out + np.minimum(np.maximum(qx, qy), 0) - self.radius
        for hx, hy, diameter in self.holes:
            far = np.maximum(far, diameter / 2 - np.hypot(u - hx, v - hy))
        return far


@dataclass(frozen=True, eq=False)
class Camera:
    """Where the camera stands, turned how (rows of `axes`), with which lens."""

    axes: Floats
    eye: Floats
    lens: Floats
    k1: float
    more: tuple[float, float, float] = (0.0, 0.0, 0.0)  # k2, p1, p2, which the program has not

    @property
    def bend(self) -> Floats:
        """OpenCV's distortion coefficients."""
        return np.array([self.k1, *self.more])

    @property
    def matrix(self) -> Floats:
        """What takes (x, y, 1) on the sheet's plane to px without distortion, (3, 3)."""
        columns = self.lens @ np.column_stack([*self.axes.T[:2], -self.axes @ self.eye])
        return np.asarray(columns / columns[2, 2])

    def to_px(self, mm: Floats, height: float = 0.0) -> Floats:
        """Return where points (N, 2) so high above the sheet lie in the photo, px."""
        turn = cv2.Rodrigues(self.axes)[0]
        world = np.column_stack([mm, np.full(len(mm), height)]).astype(np.float64)
        seen = cv2.projectPoints(world, turn, -self.axes @ self.eye, self.lens, self.bend)[0]
        return np.asarray(seen.reshape(-1, 2))

    def to_mm(self, px: Floats, height: float = 0.0) -> Floats:
        """Return what px (N, 2) show of the plane so high above the sheet, mm."""
        rays = cv2.undistortPoints(px.reshape(-1, 1, 2).astype(np.float64), self.lens, self.bend)
        ways = np.column_stack([rays.reshape(-1, 2), np.ones(len(px))]) @ self.axes
        far = (height - self.eye[2]) / ways[:, 2]
        return np.asarray(self.eye[:2] + far[:, None] * ways[:, :2])

    def mm_per_px(self, px: Floats) -> Floats:
        """Return the side of a pixel on the sheet, mm: the root of the area it covers."""
        right = self.to_mm(px + [0.5, 0]) - self.to_mm(px - [0.5, 0])
        down = self.to_mm(px + [0, 0.5]) - self.to_mm(px - [0, 0.5])
        return np.sqrt(np.abs(right[:, 0] * down[:, 1] - right[:, 1] * down[:, 0]))


@dataclass(frozen=True)
class Scene:
    """What is photographed, and how."""

    part: Part | None = None
    sheet: tuple[float, float] = (297.0, 210.0)
    corner_radius: float = 0.0
    pixels: tuple[int, int] = (4000, 3000)
    focal35: float = 26.0
    k1: float = 0.0
    more_lens: tuple[float, float, float] = (0.0, 0.0, 0.0)  # k2, p1, p2
    tilt: float = 0.0  # degrees off the vertical
    azimuth: float = 0.0  # degrees, where the camera leans to
    roll: float = 0.0  # degrees about the line of sight
    aim: tuple[float, float] | None = None  # mm on the sheet; its middle when None
    seen: float = 400.0  # mm that the long side sees
    paper: float = 235.0
    bench: float = 110.0
    texture: str = "wood"
    top: float = 60.0
    wall: float = 100.0
    lamp: tuple[float, float] = (0.8, 0.5)  # mm that a shadow reaches, per mm of thickness
    grain: float = 0.02  # of the face's reflectance
    light: float = 1.0  # ratio of the brightest to the darkest place
    light_way: float = 0.0  # degrees
    shadows: int = 0
    blur: float = 0.7  # px
    noise: float = 2.0  # grey values
    seed: int = 0
    print_on: Grey | None = field(default=None, compare=False)  # on the sheet, top row = top edge

    @property
    def focal(self) -> float:
        """Focal length, px: a 35-mm equivalent speaks of the diagonal of a 36 x 24 mm frame."""
        return float(self.focal35 * np.hypot(*self.pixels) / np.hypot(36.0, 24.0))

    def plane(self) -> Camera:
        """Return the camera as it sees the sheet's plane; zero at the sheet's lower left."""
        width, height = self.pixels
        distance = self.seen * self.focal / width
        ax, ay = self.aim or (self.sheet[0] / 2, self.sheet[1] / 2)
        tilt, way, roll = np.radians([self.tilt, self.azimuth, self.roll])
        back = np.array(
            [np.sin(tilt) * np.cos(way), np.sin(tilt) * np.sin(way), np.cos(tilt)]
        )  # from the aim to the camera
        right = np.cross([-np.sin(roll), np.cos(roll), 0.0], back)
        right /= np.linalg.norm(right)
        axes = np.stack([right, np.cross(-back, right), -back])
        eye = np.array([ax, ay, 0.0]) + distance * back
        k = np.array([[self.focal, 0, width / 2], [0, self.focal, height / 2], [0, 0, 1]])
        return Camera(axes, eye, k, self.k1, self.more_lens)

    def corners(self) -> Floats:
        """Return the sheet's corners in the picture, clockwise from its top left, px."""
        w, h = self.sheet
        return self.plane().to_px(np.array([[0, h], [w, h], [w, 0], [0, 0.0]]))


def render(scene: Scene) -> Grey:
    """Return the photo, (H, W) of grey."""
    width, height = scene.pixels
    rng = np.random.default_rng(scene.seed)
    plane = scene.plane()
    light = _Light(scene, rng)
    picture = np.empty((height, width), np.float32)
    rows = max(1, 1_500_000 // width)
    for top in range(0, height, rows):
        bottom = min(top + rows, height)
        y, x = np.mgrid[top:bottom, 0:width]
        raw = np.column_stack([x.ravel() + 0.5, y.ravel() + 0.5])
        picture[top:bottom] = _shade(scene, plane, raw, light).reshape(bottom - top, width)
    picture = cv2.GaussianBlur(picture, (0, 0), scene.blur)
    # as much noise as `noise` stored greys make in a mid tone, more of it where there is more light
    spread = scene.noise / 255 * 0.85 * np.sqrt(np.maximum(picture, 0.01))
    picture += (rng.standard_normal(picture.shape) * spread).astype(np.float32)
    return np.clip(np.round(255 * _stored(picture)), 0, 255).astype(np.uint8)


def _stored(light: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return light bent by the sRGB curve, both 0 to 1."""
    light = np.clip(light, 0, 1)
    return np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)


def _lit(stored: Floats | float) -> Floats:
    """Return the light that greys of 0 to 255 stand for, 0 to 1."""
    share = np.asarray(stored, np.float64) / 255
    return np.where(share <= 0.04045, share / 12.92, ((share + 0.055) / 1.055) ** 2.4)


class _Light:
    """Uneven light, shadows and the bench's grain, over the sheet's plane."""

    def __init__(self, scene: Scene, rng: np.random.Generator) -> None:
        self._scene = scene
        way = np.radians(scene.light_way)
        self._way = np.array([np.cos(way), np.sin(way)])
        self._middle = np.array(scene.sheet) / 2
        self._shadows = [
            (
                self._middle + rng.uniform(-0.7, 0.7, 2) * scene.sheet,
                rng.uniform(0, np.pi),
                rng.uniform(30, 120),
                rng.uniform(4, 25),
                rng.uniform(0.6, 0.85),
            )
            for _ in range(scene.shadows)
        ]
        self._grain = rng.uniform(0, 2 * np.pi, 8)
        self._grain_way = rng.uniform(0, np.pi)
        self._lines = rng.uniform(0.2, 1.4, 8)

    def at(self, mm: Floats) -> Floats:
        scene = self._scene
        along = np.clip((mm - self._middle) @ self._way / scene.seen, -0.5, 0.5) + 0.5
        lit = 1 / scene.light + (1 - 1 / scene.light) * along
        for middle, turn, size, soft, depth in self._shadows:
            u = (mm - middle) @ [np.cos(turn), np.sin(turn)]
            v = (mm - middle) @ [-np.sin(turn), np.cos(turn)]
            inside = 1 / (1 + np.exp(np.clip((np.hypot(u, v / 2) - size) / soft * 4, -60, 60)))
            lit = lit * (1 - (1 - depth) * inside)
        return np.asarray(lit)

    def bench(self, mm: Floats) -> Floats:
        scene = self._scene
        if scene.texture == "plain":
            return np.full(len(mm), float(_lit(scene.bench)))
        across = mm @ [np.cos(self._grain_way), np.sin(self._grain_way)]
        along = mm @ [-np.sin(self._grain_way), np.cos(self._grain_way)]
        rough = np.zeros(len(mm))
        for phase, line in zip(self._grain, self._lines, strict=True):
            if scene.texture == "wood":
                rough += np.sin(across * line + phase + 0.8 * np.sin(along * 0.03 + phase))
            else:
                rough += 0.4 * np.sin(across * line * 2 + along * line * 0.3 + phase)
        return np.asarray(_lit(scene.bench) * np.clip(1 + 0.12 * rough, 0.2, 2.0))


def _shade(scene: Scene, plane: Camera, raw: Floats, light: _Light) -> Floats:
    mm = plane.to_mm(raw)
    pixel = plane.mm_per_px(raw)
    lit = light.at(mm)
    shown = light.bench(mm)
    w, h = scene.sheet
    r = scene.corner_radius
    qx, qy = np.abs(mm[:, 0] - w / 2) - w / 2 + r, np.abs(mm[:, 1] - h / 2) - h / 2 + r
    away = np.hypot(np.maximum(qx, 0), np.maximum(qy, 0)) + np.minimum(np.maximum(qx, qy), 0) - r
    paper = np.full(len(mm), float(_lit(scene.paper)))
    if scene.print_on is not None:
        dense = scene.print_on.shape[1] / w  # px a mm, the same both ways
        maps = np.column_stack([mm[:, 0] * dense - 0.5, (h - mm[:, 1]) * dense - 0.5])
        wide = scene.pixels[0]
        inked = cv2.remap(
            scene.print_on,
            maps.astype(np.float32).reshape(-1, wide, 2),
            None,
            cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_REPLICATE,
        ).ravel()
        paper = paper * (0.15 + 0.85 * inked / 255)
    cover = np.clip(0.5 - away / pixel, 0, 1)
    shown = shown + cover * (paper - shown)
    if scene.part is not None:
        return _lay(scene.part, scene, plane, raw, mm, pixel, shown * lit, lit)
    return shown * lit


def _lay(
    part: Part,
    scene: Scene,
    plane: Camera,
    raw: Floats,
    mm: Floats,
    pixel: Floats,
    shown: Floats,
    lit: Floats,
) -> Floats:
    """Return the light with the part laid into it: shadow, foot, walls, face."""
    reach = np.hypot(*part.size) / 2 + 3 * part.thickness + 3
    near = np.hypot(mm[:, 0] - part.x, mm[:, 1] - part.y) < reach
    if not near.any():
        return shown
    shown, raw, pixel, mm, lit = shown.copy(), raw[near], pixel[near], mm[near], lit[near]
    value = shown[near]
    grain = 1 + scene.grain * np.sin(mm[:, 0] * 4.1) * np.sin(mm[:, 1] * 1.3 + mm[:, 0] * 0.2)
    if part.thickness > 0:
        steps = np.linspace(0.15, 1, 8)[:, None] * np.array(scene.lamp) * part.thickness
        under = np.mean([part.distance(mm - step) < 0 for step in steps], axis=0)
        foot = np.clip(1 - part.distance(mm) / (0.7 * part.thickness), 0, 1)
        value = value * (1 - 0.55 * np.minimum(2 * under, 1)) * (1 - 0.25 * foot)

    def cover(height: float) -> Floats:
        return np.clip(0.5 - part.distance(plane.to_mm(raw, height)) / pixel, 0, 1)

    face = cover(part.thickness)
    if part.thickness > 0:
        walls = np.max([cover(z) for z in np.linspace(0, part.thickness, 9)[:-1]], axis=0)
        walls = np.maximum(walls, face)
        away = mm - plane.eye[:2]  # the wall in sight faces the camera, brighter towards the lamp
        turned = away @ np.array(scene.lamp) / np.maximum(np.hypot(*away.T), 1e-9)
        wall = _lit(scene.wall) * (1 + 0.4 * turned / np.hypot(*scene.lamp)) * lit
        value = value + walls * (wall - value)
        share = np.divide(face, walls, out=np.zeros_like(face), where=walls > 0)
        value = value + walls * share * (_lit(scene.top) * grain * lit - wall)
    else:
        value = value + face * (_lit(scene.top) * grain * lit - value)
    shown[near] = value
    return shown


def posed(scene: Scene, **changes: object) -> Scene:
    """Return `scene` with other values."""
    return replace(scene, **changes)  # type: ignore[arg-type]


def printed(pdf: bytes, dense: int = 12, finer: int = 4) -> Grey:
    """Return a one-page PDF as a picture of `dense` px a mm, smooth to a fraction of a px."""
    import pypdfium2

    page = pypdfium2.PdfDocument(pdf)[0]
    large = page.render(scale=dense * finer * 25.4 / 72, grayscale=True).to_numpy().squeeze()
    rows, columns = large.shape[0] // finer * finer, large.shape[1] // finer * finer
    return cv2.resize(
        np.ascontiguousarray(large[:rows, :columns]),
        (columns // finer, rows // finer),
        interpolation=cv2.INTER_AREA,
    )
