"""Ordinary pictures, that nobody made to be traced: how many nodes, and whether anything crosses.

The pictures come with scikit-image; photographs of coins and cats, a page, grass, a printed logo.
"""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import skimage

from silhueta.core.datums import PixelDatum
from silhueta.core.errors import SilhuetaError
from silhueta.core.geometry.crossing import crossings
from silhueta.core.job import TraceSettings
from silhueta.core.picture.decode import Picture
from silhueta.core.trace.trace import trace

_NAMES = (
    "brick camera cell chelsea clock_motion coffee coins grass gravel horse ihc logo moon page "
    "phantom retina rocket text color"
)
_WIDE = 700  # px, the longer side at most
_RAW = 1.3  # px, that most segments of a loop are shorter than where it is the contour itself


def nodes() -> dict[str, float]:
    """Return what tracing them at one threshold gives, all together."""
    total = np.zeros(4)
    for name in _NAMES.split():
        (file,) = (Path(skimage.__file__).parent / "data").glob(f"{name}.*")
        grey = cv2.imread(str(file), cv2.IMREAD_GRAYSCALE)
        share = min(1.0, _WIDE / max(grey.shape))
        grey = cv2.resize(grey, None, fx=share, fy=share, interpolation=cv2.INTER_AREA)
        settings = TraceSettings(speck=4.0, many=True)
        try:
            made = trace(Picture(grey, None, None, "PNG"), PixelDatum(1.0), settings)
        except SilhuetaError:
            continue
        loops = made.outline.loops
        steps = [np.hypot(*(loop.ends - loop.starts).T) for loop in loops]
        raw = sum(len(step) > 12 and float((step < _RAW).mean()) > 0.7 for step in steps)
        total += (len(loops), sum(map(len, steps)), raw, len(crossings(loops)))
    return dict(
        zip(("loops", "segments", "loops that are their contour", "crossings"), total, strict=True)
    )
