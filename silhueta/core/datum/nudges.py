"""What the measured plane depends on, each moved by its standard uncertainty, one at a time."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from dataclasses import replace
from typing import Literal

import numpy as np
from msgspec.structs import replace as other

from silhueta.core.datum.camera import Lens
from silhueta.core.datum.fixing import fixing_datum
from silhueta.core.datums import (
    OPEN_MM,
    Datum,
    DpiDatum,
    GaugeDatum,
    LengthDatum,
    Optics,
    PageDatum,
    RoundDatum,
    SheetDatum,
)
from silhueta.core.job import Job

FocalSource = Literal["typed", "file", "gauge sheet", "the sheet's perspective", "assumed"]
_FOCAL_SIGMA: dict[FocalSource, float] = {
    "typed": 0.03,
    "file": 0.03,
    "gauge sheet": 0.01,
    "the sheet's perspective": 0.06,
    "assumed": 0.2,
}
_BEND_SIGMA = 0.02  # of a phone's lens at the picture's corner, common practice, no source
_THICKNESS_SIGMA = 0.05  # mm, as calipers and paint leave it
DPI_SIGMA = 0.001  # of a scanner's own setting, common practice

Change = Callable[[tuple[Datum, ...], Optics, Lens], tuple[tuple[Datum, ...], Optics, Lens]]


def changed(
    change: Change, datums: tuple[Datum, ...], optics: Optics, lens: Lens
) -> tuple[tuple[Datum, ...], Datum, Optics, Lens]:
    """Return datums, base, optics and lens after `change`."""
    after, optics, lens = change(datums, optics, lens)
    return after, fixing_datum(Job(datums=after)), optics, lens


def nudges(
    datums: tuple[Datum, ...], optics: Optics, lens: Lens, source: FocalSource
) -> Iterator[Change]:
    """Yield one change for each thing that is known only so well, by its standard uncertainty."""
    for number, datum in enumerate(datums):
        for nudged in _nudged(datum):
            yield lambda d, o, n, i=number, x=nudged: ((*d[:i], x, *d[i + 1 :]), o, n)  # type: ignore[misc]
        bend = datum.bend_sigma if isinstance(datum, SheetDatum | GaugeDatum) else 0.0
        if bend:
            k = bend * (lens.focal / math.hypot(*lens.centre)) ** 2
            yield lambda d, o, n, k=k: (d, o, replace(n, k1=n.k1 + k))  # type: ignore[misc]
    bent = any(isinstance(d, SheetDatum | GaugeDatum) for d in datums)
    seen = any(isinstance(d, LengthDatum | RoundDatum) for d in datums)
    if seen and not bent and source in ("typed", "file"):  # nothing straight tells a lens's bend
        k = _BEND_SIGMA * (lens.focal / math.hypot(*lens.centre)) ** 2
        yield lambda d, o, n, k=k: (d, o, replace(n, k1=n.k1 + k))  # type: ignore[misc]
    if optics.thickness_open:  # two standard uncertainties reach from paper to the thickest
        yield lambda d, o, n: (d, replace(o, thickness=OPEN_MM / 2, thickness_open=False), n)
    if optics.thickness or optics.datum_height:
        factor = 1 + _FOCAL_SIGMA[source]
        yield lambda d, o, n: (d, o, replace(n, focal=n.focal * factor, k1=n.k1 * factor**2))
        more = optics.thickness + min(_THICKNESS_SIGMA, optics.thickness)
        yield lambda d, o, n: (d, replace(o, thickness=more), n)


def ratio_sigma(optics: Optics, source: FocalSource) -> float:
    """Return the relative standard uncertainty of a part's thickness over the camera's height."""
    told = min(_THICKNESS_SIGMA / max(optics.thickness, 1e-9), 1.0)
    return math.hypot(_FOCAL_SIGMA[source], told)


def _nudged(datum: Datum) -> Iterator[Datum]:
    match datum:
        case DpiDatum(dpi=dpi):
            yield other(datum, dpi=dpi * (1 + DPI_SIGMA))
        case PageDatum(size=(width, height)):
            factor = 1 + 1.5 / math.sqrt(datum.pixels[0] * datum.pixels[1])
            yield other(datum, size=(width * factor, height * factor))
        case LengthDatum(start=start, end=end, sigma=sigma):
            long = math.dist(start, end)
            far = sigma * math.sqrt(2) / long
            moved = tuple(e + far * (e - s) for s, e in zip(start, end, strict=True))
            yield other(datum, end=(moved[0], moved[1]))
        case RoundDatum(radii=(long_, short), sigma=sigma):
            yield other(datum, radii=(long_ + sigma, short + sigma))
        case SheetDatum(corners=corners, sigma=sigma):
            for corner in range(4):
                for dx, dy in ((sigma, 0.0), (0.0, sigma)):
                    x, y = corners[corner]
                    moved_ = (*corners[:corner], (x + dx, y + dy), *corners[corner + 1 :])
                    yield other(datum, corners=moved_)
        case GaugeDatum(points=points, sigma=sigma):
            # a quarter of the sheet at a time moves together: the print and the fit's own bend
            array = np.array(points)
            middle = array[:, :2].mean(0)
            part = (array[:, 0] > middle[0]) + 2 * (array[:, 1] > middle[1])
            share = sigma / math.sqrt(max(len(points) / 16, 1))
            for quarter in range(4):
                for axis in (0, 1):
                    moved__ = array.copy()
                    moved__[part == quarter, axis] += share
                    yield other(datum, points=tuple(map(tuple, moved__.tolist())))
            yield other(datum, bar=datum.bar * (1 + datum.bar_sigma))
        case _:
            return
