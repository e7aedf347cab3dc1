"""The part as a person's strokes tell it, where looks alone tell nothing: a face like its ground.

Strokes of ink are of the part and strokes of scrape are not. Both are flooded over the steps of
light in the picture, the gentlest first, until they meet. That leaks where an edge is faint; so
next the looks on both sides are learned from it, and the border is drawn anew where it is short,
runs along steps of light and parts the looks best, several times over.

References
----------
S. Beucher and F. Meyer, "The morphological approach to segmentation: the watershed transformation",
in "Mathematical Morphology in Image Processing", edited by E. R. Dougherty, 1993, 433-481, for
floods from markers, which scikit-image works out. C. Rother, V. Kolmogorov and A. Blake,
"Interactive foreground extraction using iterated graph cuts", ACM Transactions on Graphics 23(3),
2004, 309-314, for the border, which OpenCV works out.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from silhueta.core.trace.part.looks import (
    Light,
    Mask,
    disc,
    largest_piece,
    log_light,
    mm_from,
    where_fits,
)

_PART, _GROUND = 1, 2
_AROUND, _LEAST_AROUND = 0.3, 12  # of a flood's box, and px, that are looked at round it
_MOST = 150_000  # px of a picture in which the border is drawn
_TURNS = 4
_SPREAD = (0.01, 0.99)  # quantiles of light between which it is told finely
_BAND_MM, _BAND_PX = 0.6, 2.0  # on each side of that border, in which it is sought closer
_FRAYED_MM = 0.5  # width of what is no piece of a part
_CALM = 0.8  # px


def rough_part(light: Light, steep: Light, domain: Mask, inked: Mask, scraped: Mask) -> Mask:
    """Return the part round strokes of ink, (H, W); none where there is nothing round them.

    Parameters
    ----------
    light : (H, W, 3)
        Linear.
    steep : (H, W)
        Step of the logarithm of light in each pixel.
    domain : (H, W) of bool
        Where the part may be.
    inked, scraped : (H, W) of bool
        What a person said is part, and is not.

    """
    outside = _with_rim(~domain)
    flooded = _flooded(steep, inked, scraped | (outside & ~inked))
    if not flooded.any():
        return flooded
    rows, columns = (np.flatnonzero(flooded.any(axis)) for axis in (1, 0))
    box = _around(rows), _around(columns)
    made = np.zeros_like(inked)
    made[box] = _parted(light[box], flooded[box], inked[box], (scraped | ~domain)[box])
    return made


def closer_part(light: Light, mm: float, rough: Mask, inked: Mask, scraped: Mask) -> Mask:
    """Return the same in a closer picture, (H, W), given the rough part there.

    Parameters
    ----------
    light : (H, W, 3)
        Linear.
    mm : float
        Side of a pixel.
    rough, inked, scraped : (H, W) of bool

    """
    import cv2

    size = (light.shape[1], light.shape[0])
    share = min(1.0, float(np.sqrt(_MOST / (size[0] * size[1]))))
    less = (max(8, round(size[0] * share)), max(8, round(size[1] * share)))

    def to(mask: Mask, wanted: tuple[int, int]) -> Mask:
        return np.asarray(cv2.resize(mask.astype(np.float32), wanted) > 0.5)

    small = np.asarray(cv2.resize(light, less, interpolation=cv2.INTER_AREA), np.float32)
    made = to(_parted(small, *(to(mask, less) for mask in (rough, inked, scraped))), size)
    level = cv2.GaussianBlur(log_light(light), (0, 0), _CALM)
    steep = cv2.magnitude(*(cv2.Sobel(level, cv2.CV_32F, *way) for way in ((1, 0), (0, 1))))
    band = max(_BAND_MM, _BAND_PX * mm / share)
    inside, outside = mm_from(~made, mm) > band, mm_from(made, mm) > band
    part = _flooded(
        np.asarray(steep, np.float32), inked | (inside & ~scraped), scraped | (outside & ~inked)
    )
    shape = disc(_FRAYED_MM / mm)
    return ~where_fits(~where_fits(part, shape), shape)


def _around(places: NDArray[np.intp]) -> slice:
    """Return from the first to the last of some rows, or columns, with some on each side."""
    pad = max(round(_AROUND * len(places)), _LEAST_AROUND)
    return slice(max(int(places[0]) - pad, 0), int(places[-1]) + pad)


def _parted(light: Light, made: Mask, inked: Mask, scraped: Mask) -> Mask:
    """Return the part where its border parts the looks, as first `made` has them, best."""
    import cv2

    if not inked.any() or inked.all():
        return made
    level = np.log(light + np.float32(0.01))
    low, high = np.quantile(level, _SPREAD)
    shown = np.clip((level - low) / max(high - low, 1e-6) * 255, 0, 255).astype(np.uint8)
    marks = np.where(made, cv2.GC_PR_FGD, cv2.GC_PR_BGD).astype(np.uint8)
    marks[_with_rim(scraped)] = cv2.GC_BGD
    marks[inked] = cv2.GC_FGD
    cv2.setRNGSeed(1)  # the same picture, the same part
    nothing = np.zeros((1, 65)), np.zeros((1, 65))
    cv2.grabCut(shown, marks, (0, 0, 0, 0), *nothing, _TURNS, cv2.GC_INIT_WITH_MASK)
    return largest_piece((marks == cv2.GC_FGD) | (marks == cv2.GC_PR_FGD))


def _flooded(steep: Light, inked: Mask, scraped: Mask) -> Mask:
    """Return what floods from ink reach before those from scrape do."""
    from skimage import segmentation

    flood: Any = segmentation.watershed  # untyped
    markers = np.where(scraped, _GROUND, np.where(inked, _PART, 0)).astype(np.int32)
    return largest_piece(np.asarray(flood(steep, markers) == _PART))


def _with_rim(mask: Mask) -> Mask:
    """Return a mask with the picture's own rim."""
    made = mask.copy()
    made[:2] = made[-2:] = True
    made[:, :2] = made[:, -2:] = True
    return made
