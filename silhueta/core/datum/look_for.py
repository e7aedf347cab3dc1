"""Datums that the picture itself shows: found, measured, and ready for the job."""

from __future__ import annotations

import math

import numpy as np

from silhueta.core.datum.camera import Lens, focal_from_35mm
from silhueta.core.datum.find_sheet import FoundSheet, find_sheet, skew
from silhueta.core.datum.gauge import find_gauge
from silhueta.core.datum.rectangle import measure_rectangle
from silhueta.core.datum.sheets import SIZES
from silhueta.core.datum.solve import ASSUMED_35MM
from silhueta.core.errors import ScaleError
from silhueta.core.job import MARKED_PX, GaugeDatum, SheetDatum
from silhueta.core.picture.decode import Picture

_CLEARLY = 0.05  # by which the shape must speak against the order in which a size was given
Corners = tuple[tuple[float, float], tuple[float, float], tuple[float, float], tuple[float, float]]


def lens_of(picture: Picture, focal35: float | None = None) -> Lens:
    """Return the lens that a picture was taken with, as far as it is known; no distortion yet."""
    known = focal35 or picture.focal35 or ASSUMED_35MM
    focal = focal_from_35mm(known, picture.width, picture.height)
    return Lens(focal, (picture.width / 2, picture.height / 2))


def look_for_sheet(
    picture: Picture, name: str, size: tuple[float, float], focal35: float | None = None
) -> SheetDatum:
    """Return the sheet of `size` (mm, either way round) that `picture` shows.

    Raises
    ------
    ScaleError
        As :func:`find_sheet` does.

    """
    lens = lens_of(picture, focal35)
    known = bool(focal35 or picture.focal35)
    return _datum(find_sheet(picture.grey, size, lens, known), name, lens)


def look_for_any(picture: Picture) -> SheetDatum | GaugeDatum | None:
    """Return the gauge sheet, or the A4 or Letter sheet, that a camera's photo shows for sure."""
    try:
        return look_for_gauge(picture)
    except ScaleError:
        pass
    found = []
    for name in ("a4", "letter"):
        try:
            found.append(look_for_sheet(picture, name, SIZES[name]))
        except ScaleError:
            continue
    return found[0] if len(found) == 1 else None


def look_for_gauge(picture: Picture, focal35: float | None = None) -> GaugeDatum:
    """Return the gauge sheet that `picture` shows; raises as :func:`find_gauge` does."""
    return find_gauge(picture.grey, lens_of(picture, focal35))


def sheet_at(
    picture: Picture, name: str, size: tuple[float, float], corners: Corners, snap: bool = True
) -> SheetDatum:
    """Return the sheet at marked `corners`, moved onto its edges where they are to be seen nearby.

    The size's width is along the first side, unless the photo clearly shows it the other way.

    Raises
    ------
    ScaleError
        If the corners make no rectangle.

    """
    lens = lens_of(picture)
    other = (size[1], size[0])
    ideal = np.array(SheetDatum(name, size, corners).corners)  # its checks come first
    if skew(ideal, other, lens) < skew(ideal, size, lens) - _CLEARLY:
        size = other
    marked = SheetDatum(name, size, corners)
    if not snap:
        return marked
    try:
        found = measure_rectangle(
            picture.grey, np.array(corners), lens, sign=0, reach=max(6.0, picture.width / 400)
        )
    except ScaleError:
        return marked
    if found.held.min() < 0.5 or found.residual > 0.5:
        return marked
    return _datum(FoundSheet(found, size, 1.0), name, lens)


def _datum(found: FoundSheet, name: str, lens: Lens) -> SheetDatum:
    measured = found.rectangle
    far = (math.hypot(*lens.centre) / lens.focal) ** 2  # k1 as the shift of the picture's corners
    return SheetDatum(
        name,
        found.size,
        tuple((float(x), float(y)) for x, y in measured.corners),  # type: ignore[arg-type]
        sigma=min(float(measured.sigma.mean()), MARKED_PX),
        bend=measured.k1 * far,
        bend_sigma=measured.k1_sigma * far,
        residual=measured.residual,
        found=True,
    )
