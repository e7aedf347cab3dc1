"""Compile everything that a first trace needs, so that no user waits for it."""

from __future__ import annotations

import numpy as np

from silhueta.core.job import PixelDatum, TraceSettings
from silhueta.core.picture.decode import Picture
from silhueta.core.trace.trace import trace


def main() -> None:
    """Trace a small square with a hole, in 8 and in 16 bits."""
    grey = np.full((64, 64), 250, np.uint8)
    grey[8:56, 8:56] = 20
    grey[20:40, 24:44] = 250
    for picture in (grey, grey.astype(np.uint16) * 257):
        trace(Picture(picture, None, None, "PNG"), PixelDatum(0.1), TraceSettings(speck=0.0))


if __name__ == "__main__":
    main()
