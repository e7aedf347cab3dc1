"""Draw the two demo drawings into silhueta/demo: run as  python -m tools.demo_drawings ."""

from __future__ import annotations

import cv2
import numpy as np
from PIL import Image

from silhueta.demo.drawings import (
    BREAK_MM,
    EMBLEM_PICTURE,
    EYE,
    FEATHERS,
    HERON_DPI,
    HERON_PICTURE,
    LINE_MM,
    PAGE_MM,
    heron_outline,
    smooth_curve,
)

_FINER = 3  # drawn so many times larger, then shrunk


def main() -> None:
    """Draw both."""
    Image.fromarray(heron()).save(HERON_PICTURE, quality=88, dpi=(HERON_DPI, HERON_DPI))
    Image.fromarray(emblem()).save(EMBLEM_PICTURE)


def heron() -> np.ndarray:
    """Return the scan of the heron, (H, W) uint8."""
    rng = np.random.default_rng(3)
    k = HERON_DPI / 25.4
    width, height = round(PAGE_MM[0] * k), round(PAGE_MM[1] * k)

    def line(points: np.ndarray, wide: float, grey: int, ground: np.ndarray) -> None:
        px = np.column_stack([points[:, 0], PAGE_MM[1] - points[:, 1]]) * k * _FINER - 0.5
        fixed = np.round(px * 16).astype(np.int32)
        cv2.polylines(ground, [fixed], False, grey, round(wide * k * _FINER), cv2.LINE_8, 4)

    drawn = np.full((height * _FINER, width * _FINER), 255, np.uint8)
    for feather in FEATHERS:
        line(smooth_curve(feather), 0.5, 150, drawn)
    outline = heron_outline()
    along = np.cumsum(np.hypot(*np.diff(outline, axis=0).T))
    middle = along[-1] * 0.62
    gap = BREAK_MM + LINE_MM  # the ends are round
    after, before = along > middle + gap / 2, along < middle - gap / 2
    ring = np.vstack([outline[1:][after], outline[:1], outline[1:][before]])
    line(ring, LINE_MM, 60, drawn)
    x, y = EYE[0] * k * _FINER, (PAGE_MM[1] - EYE[1]) * k * _FINER
    cv2.circle(drawn, (round(x), round(y)), round(EYE[2] * k * _FINER), 60, -1)
    grey = cv2.resize(drawn, (width, height), interpolation=cv2.INTER_AREA).astype(np.float64)
    # pencil: uneven on the paper's grain, never as black as ink
    grain = cv2.GaussianBlur(rng.normal(0, 1, grey.shape), (0, 0), 1.1)
    grain /= grain.std()
    ink = (255 - grey) / 255
    paper = 243 + cv2.GaussianBlur(rng.normal(0, 1, grey.shape), (0, 0), 60) * 300
    row, column = np.mgrid[0:height, 0:width]
    far = np.hypot(column - 0.72 * width, row - 0.33 * height) / k
    stain = 26 * np.exp(-(((far - 21) / 0.9) ** 2)) + 9 * (far < 21)
    made = (paper - stain) * (1 - ink * np.clip(0.92 + 0.06 * grain, 0, 1))
    for _ in range(70):
        at = (int(rng.integers(0, width)), int(rng.integers(0, height)))
        cv2.circle(made, at, int(rng.integers(1, 4)), float(rng.uniform(60, 170)), -1)
    made = cv2.GaussianBlur(made, (0, 0), 0.7) + rng.normal(0, 3, grey.shape)
    return np.clip(np.round(made), 0, 255).astype(np.uint8)


def emblem() -> np.ndarray:
    """Return the emblem as a poor screenshot, (H, W, 3) uint8."""
    size, finer = 420, 8
    drawn = np.full((size * finer, size * finer, 3), (238, 236, 230), np.uint8)
    blue, brass, red, green = (20, 52, 77), (199, 154, 59), (158, 48, 40), (78, 140, 120)

    def at(x: float, y: float) -> tuple[int, int]:
        return round(x * finer), round(y * finer)

    def polygon(points: list[tuple[float, float]], colour: tuple[int, int, int]) -> None:
        cv2.fillPoly(drawn, [np.array([at(*p) for p in points], np.int32)], colour)

    middle = at(210, 210)
    cv2.circle(drawn, middle, 190 * finer, blue, -1)
    cv2.circle(drawn, middle, 168 * finer, brass, -1)
    cv2.circle(drawn, middle, 160 * finer, blue, -1)
    cv2.circle(drawn, at(262, 140), 44 * finer, brass, -1)
    waves = [(x, 268 + 9 * np.sin((x - 50) / 23)) for x in np.linspace(40, 380, 200)]
    sea = np.zeros(drawn.shape[:2], np.uint8)
    cv2.fillPoly(sea, [np.array([at(*p) for p in [*waves, (380, 420), (40, 420)]], np.int32)], 1)
    disc = np.zeros(drawn.shape[:2], np.uint8)
    cv2.circle(disc, middle, 160 * finer, 1, -1)
    drawn[(sea & disc) > 0] = green
    polygon([(110, 228), (318, 228), (284, 282), (146, 282)], red)
    polygon([(196, 222), (196, 92), (132, 222)], (238, 236, 230))
    polygon([(206, 222), (206, 108), (276, 222)], red)
    small = cv2.resize(drawn, (size, size), interpolation=cv2.INTER_AREA)
    stored = cv2.imencode(".jpg", small[:, :, ::-1], [cv2.IMWRITE_JPEG_QUALITY, 72])[1]
    return np.asarray(cv2.imdecode(stored, cv2.IMREAD_COLOR)[:, :, ::-1], np.uint8)


if __name__ == "__main__":
    main()
