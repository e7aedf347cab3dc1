"""The grey value that parts dark from light."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from silhueta.core.errors import TraceError
from silhueta.core.job import TraceSettings
from silhueta.core.picture.decode import Picture

_BETWEEN = 0.02  # of the pixels may lie between Otsu's value and half level for the latter to do


def histogram(grey: NDArray[np.uint8] | NDArray[np.uint16]) -> NDArray[np.int64]:
    """Return how many pixels have each grey, (256,) of int; 16-bit values by their top byte."""
    import cv2

    eight = grey if grey.dtype == np.uint8 else (grey >> 8).astype(np.uint8)
    counts = cv2.calcHist([np.ascontiguousarray(eight)], [0], None, [256], [0, 256])
    return counts.ravel().round().astype(np.int64)


def otsu(counts: NDArray[np.int64]) -> int:
    """Return the grey value t that parts values <= t from those above with the least spread.

    Parameters
    ----------
    counts : (256,) of int

    Raises
    ------
    TraceError
        If all pixels have one value.

    References
    ----------
    N. Otsu, "A threshold selection method from gray-level histograms", IEEE Transactions on
    Systems, Man, and Cybernetics 9(1), 1979, 62-66.

    """
    if np.count_nonzero(counts) < 2:
        raise TraceError(
            "the picture has one grey value only, so there is no edge in it; open another picture"
        )
    below = np.cumsum(counts, dtype=np.float64)
    sums = np.cumsum(counts * np.arange(256.0))
    above = below[-1] - below
    with np.errstate(divide="ignore", invalid="ignore"):
        apart = below * above * (sums / below - (sums[-1] - sums) / above) ** 2
    return int(np.nanargmax(apart[:-1]))


def automatic_level(counts: NDArray[np.int64]) -> float:
    """Return the level of the edge, half-way between what is dark and what is light, 0 to 255.

    Otsu's value tells the two sides apart; the edge of a blurred or anti-aliased step is at the
    middle between them. Where more than 2 % of the pixels lie between Otsu's value and that
    middle, the picture has more than two tones and Otsu's value stays.
    """
    split = otsu(counts)
    values = np.arange(256)
    dark, light = (
        _median(counts[: split + 1], values),
        _median(counts[split + 1 :], values[split + 1 :]),
    )
    middle = (dark + light) / 2
    low, high = sorted((split + 0.5, middle))
    between = counts[int(np.ceil(low)) : int(np.floor(high)) + 1].sum()
    return float(middle if between <= _BETWEEN * counts.sum() else split + 0.5)


def clear_level(counts: NDArray[np.int64], level: float) -> float:
    """Return a level that few pixels lie near, `level` itself where it is as good as any.

    For thick parts: where the walls are as grey as the level, its edge would wander over them. The
    level is sought between three and seven tenths of the way from dark to light.
    """
    values = np.arange(256)
    below = max(int(level), 1)
    dark = _median(counts[: below + 1], values)
    light = _median(counts[below + 1 :], values[below + 1 :])
    sums = np.concatenate([[0], np.cumsum(counts)])

    def near(value: float) -> int:
        low, high = int(value - 0.07 * (light - dark)), int(value + 0.07 * (light - dark)) + 1
        return int(sums[min(max(high, 0), 256)] - sums[min(max(low, 0), 256)])

    trials = [dark + share * (light - dark) for share in np.arange(0.3, 0.701, 0.05)]
    best = min(trials, key=near)
    return level if near(level) <= 1.5 * near(best) + 50 else float(best)


def _median(counts: NDArray[np.int64], values: NDArray[np.int64]) -> float:
    return float(values[np.searchsorted(np.cumsum(counts), counts.sum() / 2)])


def level_of(
    picture: Picture,
    settings: TraceSettings,
    mask: NDArray[np.bool_] | None = None,
    thick: bool = False,
) -> float:
    """Return the edge's grey value, 0 to 255: the threshold's, or found from the picture.

    Only pixels in `mask` count, where there is one.
    """
    if settings.threshold is not None:
        return settings.threshold - 0.5
    counts = histogram(picture.grey if mask is None else picture.grey[mask][None])
    level = automatic_level(counts)
    return clear_level(counts, level) if thick else level
