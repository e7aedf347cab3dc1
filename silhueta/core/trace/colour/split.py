"""A picture split into its main colours: which they are, and which pixel has which.

Words used here
    main colour   the middle of a cluster of colours, in a space where distances are as seen
    sure          a pixel whose colour is clearly its own, not a mixture on a border
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.errors import TraceError
from silhueta.core.trace_settings import MOST_COLOURS, Rgb

_SAMPLE = 40_000  # pixels that are clustered
_APART = 12.0  # CIE 1976 difference, under which two clusters are one colour
_SHARE = 0.004  # of the picture that a main colour covers at least, when a number is proposed
_OWN = 0.25  # of the smallest distance between colours: nearer is sure
_SPECK = 12  # px, fewer hang together by noise
_BAND = 1024  # rows that are worked on at once where the picture is large
_AT_ONCE = 24_000_000  # px for which nearest neighbours are sought at once: 9 bytes each
_REACH = 64  # rows round a band in which nearest neighbours are sought first
_BITS = 2  # of each channel left out in the table


class Split(NamedTuple):
    """Main colours, the most frequent first, and each pixel's.

    colours : tuple of (red, green, blue)
    labels : (H, W) of uint8
        Index into `colours`.
    """

    colours: tuple[Rgb, ...]
    labels: NDArray[np.uint8]


def proposed(rgb: NDArray[np.uint8]) -> int:
    """Return how many main colours a picture (H, W, 3) seems to have, at least 2."""
    lab, weights = _clusters(rgb, MOST_COLOURS)
    middles, shares = _merged(lab, weights)
    return int(np.clip((shares >= _SHARE).sum(), 2, MOST_COLOURS)) if len(middles) else 2


def main_colours(rgb: NDArray[np.uint8], least: float) -> list[tuple[float, float]]:
    """Return share and CIE 1976 chroma of each main colour that covers at least a share `least`."""
    middles, shares = _merged(*_clusters(rgb, MOST_COLOURS))
    chroma = np.hypot(middles[:, 1], middles[:, 2])
    pairs = zip(shares.tolist(), chroma.tolist(), strict=True)
    return [(share, colour) for share, colour in pairs if share >= least]


def split(rgb: NDArray[np.uint8], count: int, least: float = 0.0) -> Split:
    """Return a picture's `count` main colours and each pixel's.

    Parameters
    ----------
    rgb : (H, W, 3) array of uint8
    count : int
    least : float, px
        Areas of fewer pixels go to what lies around them.

    Raises
    ------
    TraceError
        If the picture has fewer colours than that.

    References
    ----------
    S. P. Lloyd, "Least squares quantization in PCM", IEEE Transactions on Information Theory
    28(2), 1982, 129-137, on CIE 1976 L*a*b* values; OpenCV's k-means.

    """
    import cv2

    lab, weights = _clusters(rgb, min(2 * count + 4, 24))
    middles, shares = _merged(lab, weights)
    if len(middles) < count:
        raise TraceError(
            f"the picture has {len(middles)} clearly different colours, not {count}; ask for fewer"
        )
    middles = _reduced(middles, shares, count)
    own = cv2.cvtColor(middles[None].astype(np.float32), cv2.COLOR_Lab2RGB)[0]
    colours = np.clip(np.round(own * 255), 0, 255).astype(np.uint8)
    labels, sure = _labelled(rgb, middles)
    labels = _without_specks(labels, sure, max(least, _SPECK))
    order = np.argsort([-np.count_nonzero(labels == k) for k in range(count)], kind="stable")
    rank = np.empty(count, np.uint8)
    rank[order] = np.arange(count)
    named = [(int(r), int(g), int(b)) for r, g, b in colours[order]]
    return Split(tuple(named), rank[labels])


def _lab(rgb: NDArray[np.uint8]) -> NDArray[np.float32]:
    import cv2

    return np.asarray(cv2.cvtColor(rgb.astype(np.float32) / 255, cv2.COLOR_RGB2Lab), np.float32)


def _clusters(
    rgb: NDArray[np.uint8], count: int
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return cluster middles (k, 3) in L*a*b* of flat places, and their shares."""
    import cv2

    step = max(1, int(np.sqrt(rgb.shape[0] * rgb.shape[1] / _SAMPLE)))
    shown = cv2.medianBlur(np.ascontiguousarray(rgb), 3) if min(rgb.shape[:2]) > 3 else rgb
    # mixtures on borders are no colours of their own: where a pixel's surroundings differ, leave it
    spread = np.zeros(rgb.shape[:2], np.uint8)
    for channel in range(3):
        one = np.ascontiguousarray(shown[:, :, channel])
        apart = cv2.morphologyEx(one, cv2.MORPH_GRADIENT, np.ones((3, 3), np.uint8))
        spread = np.maximum(spread, apart, out=spread)
    taken = shown[::step, ::step][spread[::step, ::step] <= 24]
    if len(taken) < 50:
        taken = shown[::step, ::step].reshape(-1, 3)
    values = _lab(np.asarray(taken, np.uint8)[None])[0]
    distinct = len(np.unique(taken, axis=0))
    count = max(1, min(count, distinct))
    cv2.setRNGSeed(1)  # the same picture, the same colours
    criteria = (cv2.TERM_CRITERIA_EPS | cv2.TERM_CRITERIA_MAX_ITER, 40, 0.2)
    guess = np.zeros((len(values), 1), np.int32)
    _, labels, middles = cv2.kmeans(values, count, guess, criteria, 2, cv2.KMEANS_PP_CENTERS)
    shares = np.bincount(np.asarray(labels).ravel(), minlength=count) / len(values)
    return np.asarray(middles, np.float64), shares


def _merged(
    middles: NDArray[np.float64], shares: NDArray[np.float64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return middles of which no two are one colour, joined by their shares."""
    while len(middles) > 1:
        away = np.linalg.norm(middles[:, None] - middles[None], axis=2)
        np.fill_diagonal(away, np.inf)
        i, j = np.unravel_index(int(np.argmin(away)), away.shape)
        if away[i, j] >= _APART:
            break
        middles, shares = _join(middles, shares, int(i), int(j))
    return middles, shares


def _join(
    middles: NDArray[np.float64], shares: NDArray[np.float64], i: int, j: int
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    total = max(shares[i] + shares[j], 1e-12)
    made = (shares[i] * middles[i] + shares[j] * middles[j]) / total
    keep = [k for k in range(len(middles)) if k not in (i, j)]
    return np.vstack([middles[keep], made]), np.append(shares[keep], total)


def _reduced(
    middles: NDArray[np.float64], shares: NDArray[np.float64], count: int
) -> NDArray[np.float64]:
    """Return `count` middles: what costs least is joined first (Ward's rule)."""
    while len(middles) > count:
        away = np.linalg.norm(middles[:, None] - middles[None], axis=2) ** 2
        cost = away * (shares[:, None] * shares[None]) / (shares[:, None] + shares[None] + 1e-12)
        np.fill_diagonal(cost, np.inf)
        i, j = np.unravel_index(int(np.argmin(cost)), cost.shape)
        middles, shares = _join(middles, shares, int(i), int(j))
    return middles


def _labelled(
    rgb: NDArray[np.uint8], middles: NDArray[np.float64]
) -> tuple[NDArray[np.uint8], NDArray[np.bool_]]:
    """Return each pixel's nearest middle, and where that is sure."""
    import cv2

    side = 256 >> _BITS
    half = (1 << _BITS) / 2 - 0.5
    scale = (np.arange(side) * (1 << _BITS) + half) / 255
    cube = np.stack(np.meshgrid(scale, scale, scale, indexing="ij"), -1).astype(np.float32)
    table_lab = cv2.cvtColor(cube.reshape(1, -1, 3), cv2.COLOR_RGB2Lab)[0]
    away = np.linalg.norm(table_lab[:, None] - middles[None], axis=2)
    nearest = np.argmin(away, axis=1).astype(np.uint8)
    apart = np.linalg.norm(middles[:, None] - middles[None], axis=2)
    np.fill_diagonal(apart, np.inf)
    own = away.min(1) < np.maximum(_OWN * apart.min(1)[nearest], 4.0)
    labels, sure = np.empty(rgb.shape[:2], np.uint8), np.empty(rgb.shape[:2], np.bool_)
    for top in range(0, len(rgb), _BAND):
        band = slice(top, top + _BAND)
        parts = rgb[band] >> _BITS
        index = (parts[..., 0].astype(np.int32) * side + parts[..., 1]) * side + parts[..., 2]
        labels[band], sure[band] = nearest[index], own[index]
    kernel = np.ones((3, 3), np.uint8)
    flat = cv2.dilate(labels, kernel) == cv2.erode(labels, kernel)
    return labels, sure | flat


def _without_specks(
    labels: NDArray[np.uint8], sure: NDArray[np.bool_], least: float
) -> NDArray[np.uint8]:
    """Return labels with unsure pixels and small areas given to the nearest sure neighbour."""
    import cv2

    known = sure.copy()
    for value in range(int(labels.max()) + 1):
        mask = ((labels == value) & sure).astype(np.uint8)
        _, parts, stats, _ = cv2.connectedComponentsWithStats(mask, connectivity=4)
        small = stats[:, cv2.CC_STAT_AREA] < least
        small[0] = False
        known &= ~small[parts]
        del parts
    if not known.any():
        return labels
    if labels.size <= _AT_ONCE:
        return _nearest(labels, known)[0]
    made = labels.copy()
    for top in range(0, len(labels), _BAND):
        made[top : top + _BAND] = _nearest_in_band(labels, known, top)
    return made


def _nearest_in_band(
    labels: NDArray[np.uint8], known: NDArray[np.bool_], top: int
) -> NDArray[np.uint8]:
    """Return the labels of a band of rows as :func:`_nearest`, with as much round it as counts."""
    end, reach = min(top + _BAND, len(labels)), _REACH
    while True:
        low, high = max(top - reach, 0), min(end + reach, len(labels))
        shown = slice(low, high)
        own = slice(top - low, end - low)
        if known[shown].any():
            found, away = _nearest(labels[shown], known[shown])
            if float(away[own].max()) <= reach or high - low == len(labels):
                return found[own]
        reach *= 4


def _nearest(
    labels: NDArray[np.uint8], known: NDArray[np.bool_]
) -> tuple[NDArray[np.uint8], NDArray[np.float32]]:
    """Return for each pixel the label of the nearest known one, and how far that is, px."""
    import cv2

    away, nearest = cv2.distanceTransformWithLabels(
        (~known).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
    )
    owner = np.zeros(int(nearest.max()) + 1, np.uint8)
    owner[nearest[known]] = labels[known]
    return owner[nearest], np.asarray(away, np.float32)
