"""Whether a picture is worth the work: five questions with an answer, a reason and a remedy.

Words used here
    edge width  px over which grey goes from a tenth to nine tenths of its step
    sides       the dark and the light that Otsu's value parts
    blocks      the 8 x 8 squares that JPEG works in
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.path import Floats
from silhueta.core.picture.decode import Picture
from silhueta.core.picture.dots import raster_of
from silhueta.core.picture.even_light import light_on

Grade = Literal["good", "usable", "poor"]
_ORDER: tuple[Grade, ...] = ("poor", "usable", "good")
_MOST = 4_000_000  # px looked at
_STRONG = 0.6  # of the steepest slope that still counts as a sharp edge
_STEPS = 4000  # edge places looked at
_BESIDE = 10.0  # px on each side of a part's edge that are looked at


@dataclass(frozen=True)
class Finding:
    """One answer: what was looked at, how it is, the figure as people read it, what to do."""

    about: str
    grade: Grade
    figure: str
    remedy: str = ""


@dataclass(frozen=True)
class Verdict:
    """The answers, and the grade of the worst."""

    findings: tuple[Finding, ...]

    @property
    def grade(self) -> Grade:
        """The worst grade."""
        return min((f.grade for f in self.findings), key=_ORDER.index, default="good")


def judge(picture: Picture, rings: Sequence[Floats] = ()) -> Verdict:
    """Return the verdict on `picture`.

    Parameters
    ----------
    picture : Picture
    rings : sequence of (N, 2), px
        The part's edge, where it is known: then the verdict is about what lies along it, and a
        bench's grain counts for nothing.

    """
    grey = picture.eight()
    raster = raster_of(grey)
    dots = () if raster is None else (_dots(raster),)
    if rings:
        return Verdict((*_along(picture, grey, rings), *dots))
    low, high, level = _sides(grey)
    width = _edge_width(grey, level)
    findings = [
        _contrast(low, high),
        _sharpness(width),
        _detail(grey, level),
        _light(grey),
    ]
    if picture.format == "JPEG":
        findings.append(_blocks(grey))
    return Verdict((*findings, *dots))


def focus_width(grey: NDArray[np.uint8]) -> float:
    """Return over how many px the sharpest edges of a picture (H, W) rise, at most 16 or so."""
    width = _edge_width(grey, _sides(grey)[2])
    return width if np.isfinite(width) else 0.0


def _along(picture: Picture, grey: NDArray[np.uint8], rings: Sequence[Floats]) -> list[Finding]:
    """Return what is seen along the part's edge."""
    import cv2

    places, normals, sizes = [], [], []
    for ring in rings:
        ahead = np.roll(ring, -1, 0) - np.roll(ring, 1, 0)
        long = np.hypot(*ahead.T)
        keep = long > 1e-6
        places.append(ring[keep])
        normals.append(np.column_stack([-ahead[keep, 1], ahead[keep, 0]]) / long[keep, None])
        sizes.append(float(np.ptp(ring, axis=0).min()))
    point, normal = np.vstack(places), np.vstack(normals)
    pick = np.random.default_rng(0).permutation(len(point))[:_STEPS]
    offsets = np.arange(-_BESIDE, _BESIDE + 0.25, 0.5)
    at = (point[pick, None] + offsets[None, :, None] * normal[pick, None] - 0.5).astype(np.float32)
    level = grey.astype(np.float32)

    def look(places: NDArray[np.float32], way: int) -> NDArray[np.float32]:
        x, y = places[..., 0], places[..., 1]
        made = cv2.remap(level, x, y, way, borderMode=cv2.BORDER_REPLICATE)
        return np.asarray(made, np.float32)

    seen = look(at, cv2.INTER_LINEAR)
    one, other = seen[:, :12].mean(1), seen[:, -12:].mean(1)
    low, high = np.minimum(one, other), np.maximum(one, other)
    turned = np.where((one > other)[:, None], seen[:, ::-1], seen)
    rise = (turned - low[:, None]) / np.maximum(high - low, 1)[:, None]
    clear = high - low > 25
    width = _risen(rise[clear]) if clear.any() else float("inf")
    light = light_on(grey)
    findings = [
        _contrast(0.0, float(np.median(high - low)), 45, 20),
        _sharpness(width),
        _sized(int(min(sizes)), grey.shape),
    ]
    if light is not None:
        factor = light.shape[1] / grey.shape[1]
        where = np.clip((point * factor).astype(int), 0, np.array(light.shape[::-1]) - 1)
        findings.append(_even(light[where[:, 1], where[:, 0]]))
    # third differences have neither the light's slope nor the edge's far ends
    rough = np.abs(np.diff(look(at[:, -12::2], cv2.INTER_NEAREST), 3, axis=1))
    findings.append(_noise(1.4826 * float(np.median(rough)) / np.sqrt(20.0)))
    if picture.format == "JPEG":
        findings.append(_blocks(grey))
    return findings


def _dots(raster: float) -> Finding:
    remedy = "open the picture file itself, not a photo of a screen or of a printed picture"
    return Finding("Raster", "poor", f"dots {raster:.1f} px apart", remedy)


def _noise(value: float) -> Finding:
    grade = _graded(value, 4.0, 9.0)
    remedy = "use more light, or a lower ISO setting"
    figure = f"{value:.1f} grey values beside the edge"
    return Finding("Noise", grade, figure, "" if grade == "good" else remedy)


def _graded(value: float, good: float, usable: float) -> Grade:
    """Return the grade of a value that is better the smaller it is."""
    return "good" if value <= good else "usable" if value <= usable else "poor"


def _sides(grey: NDArray[np.uint8]) -> tuple[float, float, float]:
    counts = np.bincount(grey[:: max(1, grey.shape[0] // 1500)].ravel(), minlength=256)
    values = np.arange(256.0)
    below, sums = np.cumsum(counts).astype(float), np.cumsum(counts * values)
    above = below[-1] - below
    with np.errstate(divide="ignore", invalid="ignore"):
        apart = below * above * (sums / below - (sums[-1] - sums) / above) ** 2
    if not np.isfinite(apart[:-1]).any():
        return float(grey.min()), float(grey.max()), float(grey.mean())
    split = int(np.nanargmax(apart[:-1]))
    low = sums[split] / below[split]
    high = (sums[-1] - sums[split]) / above[split]
    return float(low), float(high), float((low + high) / 2)


def _contrast(low: float, high: float, good: float = 90, usable: float = 40) -> Finding:
    apart = high - low
    grade = _graded(-apart, -good, -usable)
    remedy = "lay the part on a sheet of the opposite brightness"
    return Finding(
        "Contrast", grade, f"{apart:.0f} of 255 grey values", "" if grade == "good" else remedy
    )


def _edge_width(grey: NDArray[np.uint8], level: float) -> float:
    """Return the typical width of edges that cross `level`, px."""
    import cv2

    image = grey.astype(np.float32)
    if grey.size > _MOST:  # the middle only: an edge's width does not shrink with the picture
        r, c = grey.shape[0] // 2, grey.shape[1] // 2
        image = image[max(0, r - 1000) : r + 1000, max(0, c - 1000) : c + 1000]
    smooth = cv2.GaussianBlur(image, (0, 0), 0.7)
    gx, gy = (
        cv2.Sobel(smooth, cv2.CV_32F, 1, 0, scale=1 / 8),
        cv2.Sobel(smooth, cv2.CV_32F, 0, 1, scale=1 / 8),
    )
    slope = np.hypot(gx, gy)
    inside = slope[12:-12, 12:-12]
    if inside.size == 0 or inside.max() < 2:
        return float("inf")
    # the sharpest edges tell the focus; a soft bench beside them does not matter
    near = np.abs(smooth[12:-12, 12:-12] - level) < 40
    limit = _STRONG * float(np.quantile(inside[near], 0.998)) if near.any() else np.inf
    rows, columns = np.nonzero(near & (inside >= max(limit, 2.0)))
    if len(rows) == 0:
        return float("inf")
    pick = np.random.default_rng(0).permutation(len(rows))[:_STEPS]
    rows, columns = rows[pick] + 12, columns[pick] + 12
    steps = np.arange(-10, 10.25, 0.5)
    ux, uy = gx[rows, columns] / slope[rows, columns], gy[rows, columns] / slope[rows, columns]
    maps = [
        (at[:, None] + steps * along[:, None]).astype(np.float32)
        for at, along in ((columns, ux), (rows, uy))
    ]
    profile = cv2.remap(image, maps[0], maps[1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    dark, bright = profile[:, :8].min(1), profile[:, -8:].max(1)
    rise = (profile - dark[:, None]) / np.maximum(bright - dark, 1)[:, None]
    clear = bright - dark > 25
    return _risen(rise[clear]) if clear.any() else float("inf")


def _risen(rise: Floats) -> float:
    """Return over how many px the typical of profiles (N, M), half a px apart, rises."""
    typical = np.median(rise, axis=0)
    between = (typical > 0.1) & (typical < 0.9)
    return float(between.sum() * 0.5)


def _sharpness(width: float) -> Finding:
    if not np.isfinite(width):
        return Finding("Sharpness", "poor", "no clear edge", "focus on the part, and hold still")
    grade = _graded(width, 4.0, 8.0)
    remedy = "focus on the part's face, hold still, and use more light"
    return Finding(
        "Sharpness", grade, f"edges {width:.1f} px wide", "" if grade == "good" else remedy
    )


def _detail(grey: NDArray[np.uint8], level: float) -> Finding:
    """Say how many px the smallest real detail has: the smallest loop that is no speck."""
    import cv2

    dark = (cv2.GaussianBlur(grey, (0, 0), 0.8) < level).astype(np.uint8)
    sizes = []
    for mask in (dark, 1 - dark):
        count, _, stats, _ = cv2.connectedComponentsWithStats(mask)
        if count > 1:
            box = stats[1:]
            area, wide = box[:, cv2.CC_STAT_AREA], box[:, cv2.CC_STAT_WIDTH]
            solid = area > max(40, 2e-5 * grey.size)
            sizes += np.minimum(wide, box[:, cv2.CC_STAT_HEIGHT])[solid].tolist()
    return _sized(min(sizes, default=0), grey.shape)


def _sized(smallest: int, shape: tuple[int, ...]) -> Finding:
    grade: Grade = "good" if smallest >= 25 else "usable" if smallest >= 10 else "poor"
    if min(shape) < 300:
        grade = "poor"
    remedy = "come closer, or scan at 300 dpi"
    figure = f"{smallest} px across" if smallest else "none to be seen"
    return Finding("Smallest detail", grade, figure, "" if grade == "good" else remedy)


def _light(grey: NDArray[np.uint8]) -> Finding:
    light = light_on(grey)
    if light is None:
        return Finding("Light", "usable", "no bright ground to judge it by")
    return _even(light)


def _even(light: Floats) -> Finding:
    low, high = np.quantile(light, [0.03, 0.97])
    ratio = float(high / max(low, 1.0))
    grade = _graded(ratio, 1.25, 2.0)
    remedy = "move the lamp, or take a second one; “Even light” helps as well"
    return Finding(
        "Light", grade, f"{ratio:.1f} : 1 over the picture", "" if grade == "good" else remedy
    )


def _blocks(grey: NDArray[np.uint8]) -> Finding:
    """Compare steps at the borders of JPEG's blocks with steps elsewhere."""
    part = grey[: 8 * 256, : 8 * 256].astype(np.float32)
    steps = np.abs(np.diff(part, axis=1))
    flat = np.minimum(steps, 12)
    if flat.shape[1] < 32:
        return Finding("JPEG", "good", "too small to judge")
    at_border = flat[:, 7::8].mean()
    other = np.mean([flat[:, k::8].mean() for k in (1, 2, 4, 5)])
    ratio = float((at_border + 0.1) / (other + 0.1))
    grade = _graded(ratio, 1.9, 3.0)
    remedy = "send the photo as a file, not through a messenger that shrinks it"
    return Finding(
        "JPEG",
        grade,
        f"blocks {ratio:.1f} times as rough as the rest",
        "" if grade == "good" else remedy,
    )
