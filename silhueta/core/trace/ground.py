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
_SHADE = 1.5  # times as light as the darkest part: a shadow
_NOISE = 8.0  # greys
_CRISP = 0.35  # of the steepest edge: less is a shadow's
_SOFT = 0.1  # of the border: more is a shadow's
_RIM = 0.02  # of the picture's sides, that is ground where nothing else says what ground is
_ON = 0.004  # of the sheet, that a part covers at least
_OVER = 12  # px of the sheet's rim that a part covers when it reaches over
_ALIKE = 10.0  # difference of colour from which part and bench can be told apart
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

    hinted = inked is not None or scraped is not None
    seeds = _seeds(small, shrunk(domain, 0.99), shrunk(sheet, 0.99), hinted)
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
        cv2.grabCut(bgr, seeds, (0, 0, 1, 1), ground, part, 1, mode)
        work.step(0.2 + 0.6 * (turn + 1) / _TURNS)
    cut = np.asarray((seeds & 1) == 1)
    if cut.mean() < _LEAST or (~cut).mean() < _LEAST:
        raise TraceError(_NOT_TOLD)
    soft = _soft_share(small, cut)
    if soft > _SOFT and not hinted:
        raise TraceError(
            f"{100 * soft:.0f} % of the part's edge is as soft as a shadow's, so a shadow may have "
            "been taken for part; paint scrape on the shadow, or ink on the part, at Picture"
        )
    return _refined(colour, cut, work)


def _soft_share(small: NDArray[np.uint8], cut: Mask) -> float:
    """Return how much of the cut's border lies where greys hardly change, 0 to 1."""
    import cv2

    grey = cv2.cvtColor(small, cv2.COLOR_RGB2GRAY)
    steep = np.hypot(cv2.Sobel(grey, cv2.CV_64F, 1, 0), cv2.Sobel(grey, cv2.CV_64F, 0, 1))
    steep = cv2.dilate(steep, np.ones((3, 3)))
    piece = cut.astype(np.uint8)
    border = (cv2.dilate(piece, np.ones((3, 3), np.uint8)) - piece) > 0
    border[:2], border[-2:], border[:, :2], border[:, -2:] = False, False, False, False
    if not border.any():
        return 0.0
    shown = steep[border]
    return float((shown < _CRISP * np.median(shown)).mean())


_NOT_TOLD = (
    "part and ground cannot be told apart here; paint a stroke of ink on the part and one of "
    "scrape on the ground, or lay the part on a plain light sheet"
)


def _seeds(
    small: NDArray[np.uint8], domain: Mask | None, sheet: Mask | None, hinted: bool
) -> NDArray[np.uint8]:
    import cv2

    rows, columns = small.shape[:2]
    seeds = np.full((rows, columns), cv2.GC_PR_BGD, np.uint8)
    grey = np.asarray(cv2.cvtColor(small, cv2.COLOR_RGB2GRAY), np.uint8)
    if sheet is not None and sheet.sum() > 200:
        even = flatten(grey, sheet).astype(np.float64)
        paper = float(np.quantile(even[sheet], 0.9))
        # shadows are darker than paper, but seldom as dark as what lies in them
        darkest = float(np.quantile(even[sheet], _ON))
        on = sheet & (even < min(_DARK * paper, _SHADE * darkest + _NOISE))
        on = _sharp(on, even, sheet)
        seeds[on] = cv2.GC_PR_FGD
        if on.sum() > _ON * sheet.sum():
            seeds[_reaching(small, on, sheet, domain, hinted)] = cv2.GC_PR_FGD
        else:  # the part lies beside the sheet
            seeds[_unlike_rim(small, domain, sheet)] = cv2.GC_PR_FGD
            seeds[cv2.dilate(sheet.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0] = cv2.GC_BGD
            _rim(seeds, domain)
    else:
        seeds[_unlike_rim(small, domain, None)] = cv2.GC_PR_FGD
        _rim(seeds, domain)
    if domain is not None:
        seeds[~domain] = cv2.GC_BGD
    return seeds


def _sharp(on: Mask, even: NDArray[np.float64], sheet: Mask) -> Mask:
    """Return the pieces of `on` with edges as sharp as the sharpest: shadows fade away."""
    import cv2

    count, labels = cv2.connectedComponents(on.astype(np.uint8))
    steep = np.hypot(cv2.Sobel(even, cv2.CV_64F, 1, 0), cv2.Sobel(even, cv2.CV_64F, 0, 1))
    inner = cv2.erode(sheet.astype(np.uint8), np.ones((7, 7), np.uint8)) > 0
    found: dict[int, float] = {}
    for label in range(1, count):
        piece = (labels == label).astype(np.uint8)
        rim = (cv2.dilate(piece, np.ones((3, 3), np.uint8)) - piece > 0) & inner
        if rim.sum() >= _OVER:
            found[label] = float(np.median(steep[rim]))
    if not found:
        return on
    sharpest = max(found.values())
    kept = [label for label, slope in found.items() if slope >= _CRISP * sharpest]
    return np.isin(labels, kept)


def _lab(small: NDArray[np.uint8]) -> NDArray[np.float32]:
    import cv2

    return np.asarray(cv2.cvtColor(small.astype(np.float32) / 255, cv2.COLOR_RGB2Lab), np.float32)


def _unlike_rim(small: NDArray[np.uint8], domain: Mask | None, sheet: Mask | None) -> Mask:
    """Return what differs from the rim of the domain, sheet left out."""
    seeds = np.zeros(small.shape[:2], np.uint8)
    _rim(seeds, domain, 1)
    rim = seeds == 1
    if domain is not None:
        rim &= domain
    if sheet is not None:
        rim &= ~sheet
    if not rim.any():
        return np.zeros(small.shape[:2], bool)
    lab = _lab(small)
    away = np.linalg.norm(lab - np.median(lab[rim], axis=0), axis=2)
    usual = float(np.quantile(away[rim], 0.9))
    unlike = np.asarray(away > max(2.0 * usual, 8.0))
    # ground of many colours: begin from all that is not the rim, and let the cut decide
    return unlike if unlike.mean() > _ON else np.ones_like(unlike)


def _reaching(
    small: NDArray[np.uint8], on: Mask, sheet: Mask, domain: Mask | None, hinted: bool
) -> Mask:
    """Return what beside the sheet looks like the part `on` it, and hangs together with it.

    Raises
    ------
    TraceError
        If the part reaches over the edge of the sheet onto ground that looks like it, unless a
        person has said (`hinted`) what is what.

    """
    import cv2

    nothing = np.zeros_like(on)
    wide = cv2.dilate(sheet.astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
    rim = sheet & (cv2.erode(sheet.astype(np.uint8), np.ones((5, 5), np.uint8)) == 0)
    if (on & rim).sum() < _OVER:
        return nothing
    free = ~wide if domain is None else domain & ~wide
    if free.sum() < 50:
        return nothing
    lab = _lab(small)
    part = np.median(lab[on], axis=0)
    bench = np.median(lab[free], axis=0)
    if np.linalg.norm(part - bench) < _ALIKE:
        if hinted:
            return nothing
        raise TraceError(
            "the part reaches over the edge of the sheet, and the ground there looks like the "
            "part; lay a larger sheet under it, or paint ink on the part and scrape beside it"
        )
    like = np.linalg.norm(lab - part, axis=2) < np.linalg.norm(lab - bench, axis=2)
    grown = (like & ~sheet & (domain if domain is not None else True)) | on
    grown = cv2.morphologyEx(grown.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8))
    _, labels = cv2.connectedComponents(grown)
    joined = np.unique(labels[on & rim])
    return np.isin(labels, joined[joined > 0]) & ~sheet


def _rim(seeds: NDArray[np.uint8], domain: Mask | None, value: int = 0) -> None:
    """Give the rim of the domain, and what lies outside, a value in place; 0 is ground."""
    import cv2

    rows, columns = seeds.shape
    wide = max(2, round(_RIM * min(rows, columns)))
    inner = np.ones_like(seeds) if domain is None else domain.astype(np.uint8)
    inner[:1], inner[-1:], inner[:, :1], inner[:, -1:] = 0, 0, 0, 0
    kernel = np.ones((2 * wide + 1, 2 * wide + 1), np.uint8)
    seeds[cv2.erode(inner, kernel) == 0] = value


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
