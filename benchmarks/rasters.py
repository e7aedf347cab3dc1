"""Pictures that show a raster and pictures that only look as if: how many are told.

Screens are three colour stripes a pixel, photographed through a sensor's mosaic; prints are round
dots that grow with the ink, one screen for grey and four turned ones for colour. What has none:
graphics, hatching, checkered and striped things, cloth, brushed metal, perforated plates. Nothing
here is shared with what judges them.
"""

from __future__ import annotations

import io
from collections.abc import Iterator
from itertools import product
from multiprocessing import Pool
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFont

from benchmarks.shapes import FONTS, every_shape, picture, placed
from silhueta.core.picture.dots import raster_of

Grey = NDArray[np.uint8]
_PITCHES = (3.0, 3.7, 4.4, 5.3, 6.4, 7.8)  # px
_ANGLES = (0.0, 4.0, 11.0, 22.0, 33.0, 45.0)  # degrees
_FINER = 3  # places a px along each side that are averaged, as a sensor's pixel does


def _scene(rng: np.random.Generator, side: int = 560) -> NDArray[np.float64]:
    """Return what is shown, (side, side, 3) of 0 to 1: a part or two on a light ground."""
    image = Image.new("RGB", (side, side), tuple(rng.integers(170, 240, 3).tolist()))
    draw = ImageDraw.Draw(image)
    for _ in range(3):
        x, y = rng.integers(100, side - 260, 2).tolist()
        w, h = rng.integers(120, 300, 2).tolist()
        colour = tuple(rng.integers(10, 120, 3).tolist())
        (draw.ellipse if rng.random() < 0.5 else draw.rectangle)([x, y, x + w, y + h], colour)
    return np.asarray(image.resize((side * _FINER,) * 2, Image.Resampling.NEAREST)) / 255.0


def _turned(angle: float, side: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    y, x = np.mgrid[:side, :side] / _FINER
    a = np.deg2rad(angle)
    return x * np.cos(a) + y * np.sin(a), -x * np.sin(a) + y * np.cos(a)


def _gathered(light: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the mean light of each pixel."""
    high, wide = (side // _FINER for side in light.shape[:2])
    return light.reshape(high, _FINER, wide, _FINER, 3).mean((1, 3))


def _seen(light: NDArray[np.float64], rng: np.random.Generator, quality: int) -> Grey:
    """Return linear light (H, W, 3) through blur, noise, the file's curve and JPEG."""
    import cv2

    soft = cv2.GaussianBlur(light, (0, 0), 0.7) + rng.normal(0, 0.006, light.shape)
    stored = np.clip(np.round(255 * np.clip(soft, 0, 1) ** (1 / 2.2)), 0, 255).astype(np.uint8)
    stream = io.BytesIO()
    Image.fromarray(stored).save(stream, "JPEG", quality=quality)
    return np.asarray(Image.open(stream).convert("L"), np.uint8)


def screen(pitch: float, angle: float, seed: int) -> Grey:
    """Return a photo of a screen whose pixels are `pitch` px apart in the photo."""
    rng = np.random.default_rng(seed)
    shown = _scene(rng) ** 2.2
    across, down = _turned(angle, len(shown))
    stripe = (across / pitch) % 1.0
    between = ((down / pitch) % 1.0 < 0.12)[..., None]
    own = np.stack([np.abs(stripe - (k + 0.5) / 3) < 0.14 for k in range(3)], -1)
    # the photo's colours mix the three stripes, as a sensor's filters do
    light = 2.6 * shown * own * ~between
    mixed = light @ np.array([[0.75, 0.2, 0.05], [0.15, 0.75, 0.15], [0.1, 0.2, 0.8]])
    return _seen(_gathered(0.03 + 0.9 * mixed), rng, 90)


def print_of(pitch: float, angle: float, seed: int) -> Grey:
    """Return a scan or photo of a print whose dots are `pitch` px apart."""
    rng = np.random.default_rng(seed)
    shown = _scene(rng) ** 2.2
    if seed % 2:
        across, down = _turned(angle, len(shown))
        wave = 0.5 + 0.25 * (np.cos(2 * np.pi * across / pitch) + np.cos(2 * np.pi * down / pitch))
        paper = (wave > 1 - shown.mean(-1))[..., None] * np.ones(3)
        return _seen(_gathered(0.04 + 0.85 * paper), rng, 90)
    paper = np.ones_like(shown)
    for ink in range(3):
        across, down = _turned(angle + (15, 75, 0)[ink], len(shown))
        wave = 0.5 + 0.25 * (np.cos(2 * np.pi * across / pitch) + np.cos(2 * np.pi * down / pitch))
        paper[..., ink] *= wave > 1 - shown[..., ink]
    return _seen(_gathered(0.04 + 0.85 * paper), rng, 90)


def graphics() -> Iterator[tuple[str, Grey]]:
    """Yield drawings of programs: shapes, pages of letters, hatching, checks and stripes."""
    for name, loops in every_shape().items():
        yield name, picture(placed(loops, 640), 640)
    rng = np.random.default_rng(3)
    letters = np.array(list("abcdefghijklmnopqrstuvwxyz    "))
    for number in range(60):
        image = Image.new("L", (900, 900), 255)
        size = int(rng.integers(9, 40))
        font = ImageFont.truetype(str(FONTS[number % 2]), size)
        for top in range(20, 880, round(1.2 * size)):
            words = "".join(rng.choice(letters, 200))
            ImageDraw.Draw(image).text((20, top), words, 0, font)
        yield f"page of letters {number}", np.asarray(image)
    y, x = np.mgrid[:800, :800]
    part = np.hypot(x - 400, y - 400) < 330
    for pitch in (3, 4, 5, 6, 8, 12, 16, 24):
        for angle in (0.0, 30.0, 45.0):
            across, down = (_FINER * way[:800, :800] for way in _turned(angle, 800))
            lines = 0.5 + 0.5 * np.clip(3 * np.cos(2 * np.pi * across / pitch), -1, 1)
            yield f"hatched {pitch} {angle}", np.uint8(np.where(part, 255 * lines, 255))
            yield f"striped {pitch} {angle}", np.uint8(255 * lines)
            if pitch >= 8:
                check = np.cos(2 * np.pi * across / (2 * pitch)) * np.cos(np.pi * down / pitch)
                yield (
                    f"checkered {pitch} {angle}",
                    np.uint8(127.5 + 127.5 * np.clip(9 * check, -1, 1)),
                )


def surfaces() -> Iterator[tuple[str, Grey]]:
    """Yield photos of cloth, brushed metal and perforated plates."""
    import cv2

    y, x = np.mgrid[:1200, :1600].astype(float)
    for seed in range(20):
        rng = np.random.default_rng(seed)
        drift = [
            cv2.resize(rng.normal(0, 1, (14, 18)), (1600, 1200), interpolation=cv2.INTER_CUBIC)
            for _ in range(2)
        ]
        pitch = rng.uniform(4, 14)
        weave = np.cos(2 * np.pi * (x + 2.2 * pitch * drift[0]) / pitch)
        weft = np.cos(2 * np.pi * (y + 2.2 * pitch * drift[1]) / pitch)
        cloth = 0.3 + 0.08 * np.where(weave * weft > 0, weave, weft)
        yield f"cloth {seed}", _seen(cloth[..., None] * np.ones(3), rng, 88)
        marks = cv2.blur(rng.normal(0, 1, (1200, 1600)), (301, 1))
        metal = 0.4 + 1.5 * marks
        yield f"brushed {seed}", _seen(metal[..., None] * np.ones(3), rng, 88)
        pitch = rng.uniform(14, 40)
        odd = np.floor(y / pitch) % 2
        away = np.hypot((x / pitch + 0.5 * odd) % 1 - 0.5, (y / pitch) % 1 - 0.5)
        plate = np.where(away < 0.3, 0.04, 0.5)
        yield f"perforated {seed}", _seen(plate[..., None] * np.ones(3), rng, 88)


def _judged(work: tuple[str, Grey]) -> tuple[str, bool]:
    return work[0], raster_of(work[1]) is not None


def _made(work: tuple[str, float, float, int]) -> tuple[str, bool]:
    kind, pitch, angle, seed = work
    grey = (screen if kind == "screen" else print_of)(pitch, angle, seed)
    return f"{kind} {pitch} px {angle} degrees", raster_of(grey) is not None


def run(folders: tuple[Path, ...] = ()) -> dict[str, float]:
    """Return how many rasters are told, and how many other pictures are taken for one.

    Parameters
    ----------
    folders : of pictures without a raster

    """
    rasters = [
        (kind, pitch, angle, 2 * number + twice)
        for number, (pitch, angle) in enumerate(product(_PITCHES, _ANGLES))
        for kind in ("screen", "print")
        for twice in range(2)
    ]
    files = [file for folder in folders for file in sorted(folder.iterdir())]
    with Pool() as pool:
        made = pool.map(_made, rasters, chunksize=4)
        plain = [(name, np.ascontiguousarray(grey)) for name, grey in (*graphics(), *surfaces())]
        plain += [(file.name, np.asarray(Image.open(file).convert("L"))) for file in files]
        other = pool.map(_judged, plain, chunksize=4)
    for name, told in made:
        if not told:
            print("missed:", name)
    for name, told in other:
        if told:
            print("taken for a raster:", name)
    return {
        "screens and prints": len(made),
        "of these told": sum(told for _, told in made),
        "pictures without a raster": len(other),
        "of these taken for one": sum(told for _, told in other),
    }


if __name__ == "__main__":
    import sys

    print(run(tuple(Path(a) for a in sys.argv[1:])))
