"""What part and ground are told apart by: one number a pixel, and the level of the edge.

Words used here
    field    a picture whose values say how far a pixel is on the part's side
    middle   value of the edge in a field that was worked out, 16 bits
    exact    whether the edge lies at the level itself, or half-way between the sides beside it
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.compiled import compiled
from silhueta.core.errors import TraceError
from silhueta.core.geometry.path import Floats
from silhueta.core.picture.decode import Picture
from silhueta.core.picture.light import TOP, in_light, light_table, linear_of
from silhueta.core.picture.tally import tally
from silhueta.core.trace.edge.contours import Grey
from silhueta.core.trace.edge.threshold import automatic_level, level_of
from silhueta.core.trace_settings import Patch, Rgb, Rule, TraceSettings

MIDDLE = 32767.5
_STEP = 64.0  # values of a worked-out field a grey
_FEW = 0.05  # of the pixels on a side are darker, or lighter, than what stands for it
_INKED = 0.1  # of the way from dark to light: darker is part whatever is around
_BARE = 0.85  # of it: lighter is ground whatever is around
_FAINT = 0.12  # of the contrast, that a mark must at least stand out from its surroundings
_CUBE = 33  # places along each side of the colour table
_NEAR = 256.0  # values of a colour field a unit of difference


class Field(NamedTuple):
    """What is followed: values, the edge's level on the scale of 0 to 255, and which side is part.

    values : (H, W) of uint8 or uint16
    level : float
        In the values' own scale.
    dark : bool
        Whether the part lies below the level.
    exact : bool
        The edge is at the level; otherwise half-way between the two sides.
    grey : float
        The level as a grey value, 0 to 255, for a person.
    """

    values: Grey
    level: float
    dark: bool
    exact: bool
    grey: float


def field_of(
    picture: Picture,
    settings: TraceSettings,
    mm_per_px: float,
    mask: NDArray[np.bool_] | None = None,
    *,
    thick: bool = False,
    patches: Sequence[tuple[Patch, Floats]] = (),
) -> Field:
    """Return what the contours of `picture` follow.

    Parameters
    ----------
    picture : Picture
        In mode "colour" its greys are differences of colour (`colour_field`).
    settings : TraceSettings
    mm_per_px : float
    mask : (H, W) array of bool, optional
        Where the threshold is found.
    thick : bool
        Whether walls may show.
    patches : sequence of (Patch, (N, 2) px)
        With their corners in this picture.

    Raises
    ------
    TraceError
        If the picture has one grey only.

    """
    mode, invert = settings.mode, settings.invert
    if mode == "colour":
        base = Field(picture.grey, settings.colour_distance * _NEAR, not invert, False, 128.0)
    elif mode in ("threshold", "part"):
        level = 127.5 if mode == "part" else level_of(picture, settings, mask, thick=thick)
        exact = settings.threshold is not None and mode == "threshold"
        values: Grey = picture.grey
        own = level if picture.top == 255 else (level + 0.5) * 257.0 - 0.5
        if settings.light == "linear" and mode == "threshold":
            values, own = in_light(picture.eight()), TOP * linear_of(level)
        base = Field(values, own, not invert, exact, level)
    else:
        grey = picture.eight()
        rule: Rule = "band" if mode == "band" else "local"
        linear = settings.light == "linear"
        values, level = _ruled(grey, rule, settings.band, settings.window / mm_per_px, mask, linear)
        exact = mode == "band"
        base = Field(values, MIDDLE, not invert, exact, level)
    linear = settings.light == "linear"
    return _patched(base, picture, mm_per_px, patches, mask, linear) if patches else base


def _ruled(
    grey: NDArray[np.uint8],
    rule: Rule,
    band: tuple[float, float],
    window: float,
    mask: NDArray[np.bool_] | None,
    linear: bool,
) -> tuple[NDArray[np.uint16], float]:
    """Return a field by the rule "band" or "local", part below the middle, and a grey level."""
    if rule == "band":
        low, high = band[0] - 0.5, band[1] - 0.5
        greys = np.arange(256.0)
        table = np.maximum(low - greys, greys - high)
        looked = np.clip(np.round(MIDDLE + _STEP * table), 0, 65535).astype(np.uint16)
        return looked[grey], 0.5 * (low + high)
    return _local(grey, window, mask, linear)


def _local(
    grey: NDArray[np.uint8], window: float, mask: NDArray[np.bool_] | None, linear: bool
) -> tuple[NDArray[np.uint16], float]:
    """Return how much lighter each pixel is than half-way between the greys around it.

    Around means a square of `window` px: its mean, less half of what a mark must stand out by.
    Where a square lies wholly inside a large part, or on bare ground, the mean says nothing:
    pixels nearly as dark as anything are part, and nearly as light as anything are ground.

    References
    ----------
    J. Sauvola and M. Pietikäinen, "Adaptive document image binarization", Pattern Recognition
    33(2), 2000, 225-236, for holding a pixel against the mean around it.

    """
    counts = tally(grey if mask is None else grey[mask])
    level = automatic_level(counts)
    edge = edge_around(grey, window, counts)
    above: NDArray[Any] = grey - edge
    if linear:
        import cv2

        table = light_table()
        above = cv2.LUT(grey, table) - np.interp(edge, np.arange(256.0), table).astype(np.float32)
    values = np.clip(np.round(MIDDLE + _STEP * above), 0, 65535).astype(np.uint16)
    return values, level


def edge_around(
    grey: NDArray[np.uint8], window: float, counts: NDArray[np.int64]
) -> NDArray[np.float32]:
    """Return the grey value, at each pixel, below which it is part when held against its window.

    Parameters
    ----------
    grey : (H, W) array of uint8
    window : float, px
    counts : (256,) array of int
        How many pixels of the whole picture have each grey.

    Raises
    ------
    TraceError
        If the picture has one grey only.

    """
    import cv2

    level = automatic_level(counts)
    sums = np.cumsum(counts)
    dark = float(np.searchsorted(sums, _FEW * sums[int(level)]))
    light = float(np.searchsorted(sums, sums[-1] - _FEW * (sums[-1] - sums[int(level)])))
    contrast = max(light - dark, 1.0)
    side = int(min(max(3, round(window)), 2 * max(grey.shape))) | 1
    around = cv2.blur(grey, (side, side), borderType=cv2.BORDER_REFLECT).astype(np.float32)
    edge = around - _FAINT / 2 * contrast
    clipped: NDArray[np.float32] = np.clip(edge, dark + _INKED * contrast, dark + _BARE * contrast)
    return clipped


def _patched(
    base: Field,
    picture: Picture,
    mm_per_px: float,
    patches: Sequence[tuple[Patch, Floats]],
    mask: NDArray[np.bool_] | None,
    linear: bool,
) -> Field:
    """Return one field of the base and its patches, part below the middle everywhere."""
    values = _levelled(base.values, base.level, base.dark)
    exact = base.exact
    grey = picture.eight()
    for patch, corners in patches:
        box, inside = area(corners, grey.shape)
        if not inside.any():
            raise TraceError(
                "a patch lies outside the picture; remove it, or draw it on the picture"
            )
        shown = np.ascontiguousarray(grey[box])
        if patch.rule in ("solid", "nothing"):
            made = np.full(shown.shape, 0 if patch.rule == "solid" else 65535, np.uint16)
        elif patch.rule == "threshold":
            level = patch.threshold
            if level is None:
                level = automatic_level(np.bincount(shown[inside], minlength=256)) + 0.5
            if linear:
                made = _levelled(in_light(shown), TOP * linear_of(level - 0.5), not patch.invert)
            else:
                made = _levelled(shown, level - 0.5, not patch.invert)
        else:
            here = inside if mask is None else inside & mask[box]
            made, _ = _ruled(shown, patch.rule, patch.band, patch.window / mm_per_px, here, linear)
            if patch.invert:
                made = np.uint16(65535) - made
        values[box][inside] = made[inside]
        exact = exact or patch.rule in ("threshold", "band")
    return Field(values, MIDDLE, True, exact, base.grey)


def _levelled(values: Grey, level: float, dark: bool) -> NDArray[np.uint16]:
    """Return values with the level at the middle and the part below it, none at an end of range."""
    top = 255 if values.dtype == np.uint8 else 65535
    slope = min(MIDDLE / max(level, 1e-6), (65535 - MIDDLE) / max(top - level, 1e-6))
    scale = np.arange(top + 1, dtype=np.float64)
    table = np.clip(np.round(MIDDLE + slope * (scale - level)), 0, 65535).astype(np.uint16)
    looked = table[values]
    return looked if dark else np.uint16(65535) - looked


def area(corners: Floats, shape: tuple[int, ...]) -> tuple[tuple[slice, slice], NDArray[np.bool_]]:
    """Return the box of pixels round a polygon, and which pixels in it lie inside."""
    import cv2

    rows, columns = shape[:2]
    low = np.floor(corners.min(0)).astype(int)
    high = np.ceil(corners.max(0)).astype(int)
    left, top = max(int(low[0]), 0), max(int(low[1]), 0)
    right, bottom = min(int(high[0]), columns), min(int(high[1]), rows)
    box = (slice(top, max(bottom, top)), slice(left, max(right, left)))
    inside = np.zeros((max(bottom - top, 0), max(right - left, 0)), np.uint8)
    if inside.size:
        places = np.clip(corners - 0.5 - [left, top], -30_000, 230_000)
        cv2.fillPoly(inside, [np.round(places * 16).astype(np.int32)], 1, shift=4)
    return box, inside.astype(bool)


def colour_field(colours: NDArray[np.uint8], picked: Sequence[Rgb]) -> NDArray[np.uint16]:
    """Return how far each pixel's colour is from the nearest picked one, in 256ths.

    Parameters
    ----------
    colours : (H, W, 3) array of uint8
        Red, green, blue.
    picked : sequence of (red, green, blue)

    Raises
    ------
    TraceError
        If nothing is picked.

    References
    ----------
    CIE DE2000, as scikit-image has it: G. Sharma, W. Wu and E. N. Dalal, "The CIEDE2000
    color-difference formula", Color Research and Application 30(1), 2005, 21-30. Worked out for a
    table of 33³ colours and straight between them.

    """
    from skimage.color import deltaE_ciede2000, rgb2lab

    if not picked:
        raise TraceError("no colour is picked; pick one of the part's colours in the picture")
    scale = np.linspace(0, 1, _CUBE)
    cube = np.stack(np.meshgrid(scale, scale, scale, indexing="ij"), -1).reshape(-1, 1, 3)
    lab = rgb2lab(cube)
    wanted = rgb2lab(np.array(picked, np.float64).reshape(-1, 1, 3) / 255)
    difference: Any = deltaE_ciede2000
    away = np.min([difference(lab, w[None]) for w in wanted], axis=0)
    table = (np.minimum(away, 255.0) * _NEAR).astype(np.float32).reshape(_CUBE, _CUBE, _CUBE)
    return _looked_up(np.ascontiguousarray(colours), table)


@compiled
def _looked_up(colours: NDArray[np.uint8], table: NDArray[np.float32]) -> NDArray[np.uint16]:
    rows, columns = colours.shape[:2]
    out = np.empty((rows, columns), np.uint16)
    n = table.shape[0]
    factor = (n - 1) / 255.0
    low = np.zeros(3, np.int64)
    share = np.zeros(3)
    for r in range(rows):
        for c in range(columns):
            for k in range(3):
                at = colours[r, c, k] * factor
                low[k] = min(int(at), n - 2)
                share[k] = at - low[k]
            total = 0.0
            for corner in range(8):
                weight = 1.0
                i, j, k = low[0], low[1], low[2]
                if corner & 1:
                    i += 1
                    weight *= share[0]
                else:
                    weight *= 1 - share[0]
                if corner & 2:
                    j += 1
                    weight *= share[1]
                else:
                    weight *= 1 - share[1]
                if corner & 4:
                    k += 1
                    weight *= share[2]
                else:
                    weight *= 1 - share[2]
                total += weight * table[i, j, k]
            out[r, c] = min(int(total + 0.5), 65535)
    return out
