"""Part against ground: for photos of real objects, where one grey value cannot tell them apart.

Words used here
    seed     pixels that are surely, or probably, part or ground
    cut      the cheapest border between the two, by how colours are spread and where they change
    band     the strip along the cut in which the edge is sought at full resolution

References
----------
C. Rother, V. Kolmogorov and A. Blake, "GrabCut: interactive foreground extraction using iterated
graph cuts", ACM Transactions on Graphics 23(3), 2004, 309-314; OpenCV's implementation.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from silhueta.core.errors import TraceError
from silhueta.core.picture.flatten import flatten
from silhueta.core.work import Work

Mask = NDArray[np.bool_]

_PIXELS = 300_000  # on which the cut is worked out
_TURNS = 4
_PAPER = 0.82  # of the paper's brightness, in even light: probably paper
_DARK = 0.55  # of it: probably part
_RIM = 0.02  # of the picture's sides, that is ground where nothing else says what ground is
_LEAST = 1e-4  # of the picture, that a part covers at least
_TOLD = 14.0  # greys between both sides, from which the edge is sought half-way between
_BAND = 2  # px of the small picture on each side of the cut


def part_field(
    colour: NDArray[np.uint8],
    domain: Mask | None,
    sheet: Mask | None,
    inked: Mask | None,
    scraped: Mask | None,
    work: Work | None = None,
) -> NDArray[np.uint8]:
    """Return a picture with the part 0 and the ground 255, the edge at 127.5.

    Parameters
    ----------
    colour : (H, W, 3) array of uint8
        Red, green, blue.
    domain : (H, W) array of bool, optional
        Where the part may be.
    sheet : (H, W) array of bool, optional
        Where the datum's sheet lies.
    inked, scraped : (H, W) array of bool, optional
        What a person has said is part, and ground.

    Raises
    ------
    TraceError
        If no part can be told from the ground.

    """
    import cv2

    work = work or Work()
    rows, columns = colour.shape[:2]
    factor = min(1.0, float(np.sqrt(_PIXELS / (rows * columns))))
    size = (max(8, round(columns * factor)), max(8, round(rows * factor)))
    small = np.asarray(cv2.resize(colour, size, interpolation=cv2.INTER_AREA), np.uint8)

    def shrunk(mask: Mask | None, least: float) -> Mask | None:
        if mask is None:
            return None
        share = cv2.resize(mask.astype(np.uint8) * 255, size, interpolation=cv2.INTER_AREA)
        return np.asarray(share > 255 * least)

    seeds = _seeds(small, shrunk(domain, 0.99), shrunk(sheet, 0.99))
    for mask, value in ((inked, cv2.GC_FGD), (scraped, cv2.GC_BGD)):
        hint = shrunk(mask, 0.5)
        if hint is not None:
            seeds[hint] = value
    work.step(0.2)
    if not (seeds & 1).any() or not (~seeds & 1).any():
        raise TraceError(_NOT_TOLD)
    ground, part = np.zeros((1, 65)), np.zeros((1, 65))
    bgr = np.ascontiguousarray(small[:, :, ::-1])
    cv2.setRNGSeed(1)  # the same picture, the same part
    for turn in range(_TURNS):
        mode = cv2.GC_INIT_WITH_MASK if turn == 0 else cv2.GC_EVAL
        cv2.grabCut(
            np.ascontiguousarray(small[:, :, ::-1]), seeds, (0, 0, 1, 1), ground, part, 1, mode
        )
        work.step(0.2 + 0.6 * (turn + 1) / _TURNS)
    cut = np.asarray((seeds & 1) == 1)
    if cut.mean() < _LEAST or (~cut).mean() < _LEAST:
        raise TraceError(_NOT_TOLD)
    return _refined(colour, cut, work)


_NOT_TOLD = (
    "part and ground cannot be told apart here; paint a stroke of ink on the part and one of "
    "scrape on the ground, or lay the part on a plain light sheet"
)


def _seeds(small: NDArray[np.uint8], domain: Mask | None, sheet: Mask | None) -> NDArray[np.uint8]:
    import cv2

    rows, columns = small.shape[:2]
    seeds = np.full((rows, columns), cv2.GC_PR_BGD, np.uint8)
    grey = np.asarray(cv2.cvtColor(small, cv2.COLOR_RGB2GRAY), np.uint8)
    if sheet is not None and sheet.sum() > 200:
        even = flatten(grey, sheet).astype(np.float64)
        paper = float(np.quantile(even[sheet], 0.9))
        seeds[sheet & (even < _PAPER * paper)] = cv2.GC_PR_BGD
        seeds[sheet & (even < _DARK * paper)] = cv2.GC_PR_FGD
        seeds[sheet & (even >= _PAPER * paper)] = cv2.GC_PR_BGD
        if not (seeds[sheet] == cv2.GC_PR_FGD).any():  # the part lies beside the sheet
            seeds[~sheet] = cv2.GC_PR_FGD
            seeds[sheet] = cv2.GC_BGD
            _rim(seeds, domain)
    else:
        # what differs from the rim of the picture
        wide = max(2, round(_RIM * min(rows, columns)))
        rim = np.ones((rows, columns), bool)
        rim[wide:-wide, wide:-wide] = False
        lab = cv2.cvtColor(small.astype(np.float32) / 255, cv2.COLOR_RGB2Lab)
        middle = np.median(lab[rim], axis=0)
        away = np.linalg.norm(lab - middle, axis=2)
        usual = float(np.quantile(away[rim], 0.9))
        seeds[away > max(2.0 * usual, 8.0)] = cv2.GC_PR_FGD
        _rim(seeds, domain)
    if domain is not None:
        seeds[~domain] = cv2.GC_BGD
    return seeds


def _rim(seeds: NDArray[np.uint8], domain: Mask | None) -> None:
    """Make the rim of the domain ground, in place."""
    import cv2

    rows, columns = seeds.shape
    wide = max(2, round(_RIM * min(rows, columns)))
    inner = np.ones_like(seeds) if domain is None else domain.astype(np.uint8)
    inner[:1], inner[-1:], inner[:, :1], inner[:, -1:] = 0, 0, 0, 0
    kernel = np.ones((2 * wide + 1, 2 * wide + 1), np.uint8)
    seeds[cv2.erode(inner, kernel) == 0] = cv2.GC_BGD


def _refined(colour: NDArray[np.uint8], cut: Mask, work: Work) -> NDArray[np.uint8]:
    """Return the cut at full resolution, its edge half-way between the greys on both sides."""
    import cv2

    rows, columns = colour.shape[:2]
    grey = cv2.cvtColor(np.ascontiguousarray(colour), cv2.COLOR_RGB2GRAY)
    factor = columns / cut.shape[1]
    soft = cv2.resize(cut.astype(np.uint8) * 255, (columns, rows), interpolation=cv2.INTER_LINEAR)
    out = np.asarray(255 - soft, np.uint8)
    if factor <= 1.0 and min(rows, columns) < 16:
        return out
    reach = max(2, round(_BAND * factor))
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1))
    hard = (soft > 127).astype(np.uint8)
    inner, outer = cv2.erode(hard, kernel), 1 - cv2.dilate(hard, kernel)
    work.step(0.9)
    side = 4 * reach + 1
    means = []
    for mask in (inner, outer):
        share = cv2.blur(mask.astype(np.float32), (side, side))
        total = cv2.blur(mask * grey.astype(np.float32), (side, side))
        means.append(np.where(share > 0.02, total / np.maximum(share, 1e-6), np.nan))
    part, ground = means
    apart = ground - part
    band = (inner == 0) & (outer == 0) & (np.abs(apart) > _TOLD)  # False where either is unknown
    with np.errstate(invalid="ignore", divide="ignore"):
        level = (grey[band] - part[band]) / apart[band]
    out[band] = np.clip(np.round(255 * level), 0, 255).astype(np.uint8)
    out[inner > 0] = 0
    out[outer > 0] = 255
    return out
