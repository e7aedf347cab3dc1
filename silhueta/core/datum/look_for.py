"""Datums that the picture itself shows: found, measured, and ready for the job."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from silhueta.core.datum.camera import Lens, focal_from_35mm
from silhueta.core.datum.find_sheet import FoundSheet, find_sheet, sketch_of, skew
from silhueta.core.datum.gauge import find_gauge
from silhueta.core.datum.rectangle import measure_rectangle
from silhueta.core.datum.sheets import SIZES
from silhueta.core.datum.solve import ASSUMED_35MM
from silhueta.core.datums import MARKED_PX, GaugeDatum, SheetDatum
from silhueta.core.errors import ScaleError
from silhueta.core.picture.decode import Picture
from silhueta.core.picture.light import in_light

_SMALL_SHEET = 0.2  # of the picture; what is smaller may be a plate of a sheet's shape
_BETTER = 0.15  # support by which one kind of sheet must fit better than another
_LEAST_PX = 700  # of a photo's long side
_CLEARLY = 0.05  # by which the shape must speak against the order in which a size was given
Corners = tuple[tuple[float, float], tuple[float, float], tuple[float, float], tuple[float, float]]


def lens_of(picture: Picture, focal35: float | None = None) -> Lens:
    """Return the lens that a picture was taken with, as far as it is known; no distortion yet."""
    known = focal35 or picture.focal35 or ASSUMED_35MM
    focal = focal_from_35mm(known, picture.width, picture.height)
    return Lens(focal, (picture.width / 2, picture.height / 2))


def look_for_sheet(
    picture: Picture,
    name: str,
    size: tuple[float, float],
    focal35: float | None = None,
    colours: NDArray[np.uint8] | None = None,
) -> SheetDatum:
    """Return the sheet of `size` (mm, either way round) that `picture` shows.

    `colours` (H, W, 3): a printed card is looked for in each colour as well, since a stripe of its
    print may be just as light as what it lies on.

    Raises
    ------
    ScaleError
        As :func:`find_sheet` does.

    """
    lens = lens_of(picture, focal35)
    known = bool(focal35 or picture.focal35)
    if name == "card" and colours is not None:
        return _datum(_card(picture, colours, lens, known), name, lens)
    return _datum(find_sheet(picture.grey, size, lens, known), name, lens)


def _card(picture: Picture, colours: NDArray[np.uint8], lens: Lens, known: bool) -> FoundSheet:
    """Return the card, as it is found in grey or in one of the colours, whichever shows it best."""
    found, refused = [], None
    for plane in (picture.grey, *(np.ascontiguousarray(colours[..., k]) for k in (2, 0, 1))):
        try:
            found.append(find_sheet(plane, SIZES["card"], lens, known))
        except ScaleError as error:
            refused = refused or error
    if not found:
        assert refused is not None
        raise refused
    return max(found, key=lambda one: (one.corners_seen, -one.skew))


def look_for_any(
    picture: Picture,
    focal35: float | None = None,
    colours: NDArray[np.uint8] | None = None,
) -> SheetDatum | GaugeDatum | None:
    """Return the gauge sheet, sheet of paper or ID-1 card that a photo shows for sure, or None.

    A4 and A3 have the same shape, so a sheet of that shape is taken for A4, which is what lies on
    benches. A card counts only where there is no sheet. Where two kinds of sheet would do, none is
    taken: a person is asked.
    """
    if max(picture.width, picture.height) < _LEAST_PX:
        return None
    try:
        return look_for_gauge(picture, focal35)
    except ScaleError:
        pass
    lens = lens_of(picture, focal35)
    known = bool(focal35 or picture.focal35)
    sketch = sketch_of(picture.grey)
    for names in (("a4", "letter"), ("card",)):
        found = []
        for name in names:
            try:
                if name == "card" and colours is not None:
                    one = _card(picture, colours, lens, known)
                else:
                    one = find_sheet(picture.grey, SIZES[name], lens, known, sketch)
            except ScaleError:
                continue
            found.append((one.support, _datum(one, name, lens)))
        found.sort(key=lambda pair: -pair[0])
        if found:
            clear = len(found) == 1 or found[0][0] > found[1][0] + _BETTER
            best = found[0][1] if clear else None
            if best is not None and names != ("card",) and colours is not None:
                return _or_the_card(best, picture, colours, lens, known)
            return best
    return None


def _or_the_card(
    sheet: SheetDatum, picture: Picture, colours: NDArray[np.uint8], lens: Lens, known: bool
) -> SheetDatum | None:
    """Return a sheet, unless it is small, and a card beside it says that it is a plate.

    None where both may be.
    """
    x, y = np.array(sheet.corners).T
    area = 0.5 * abs(float(x @ np.roll(y, -1) - np.roll(x, -1) @ y))
    if area > _SMALL_SHEET * picture.width * picture.height:
        return sheet
    try:
        card = _card(picture, colours, lens, known)
    except ScaleError:
        return sheet
    if card.corners_seen < 4:
        return None if card.corners_seen == 3 else sheet
    return _datum(card, "card", lens)


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
        light, reach = in_light(picture.eight()), max(6.0, picture.width / 400)
        found = measure_rectangle(light, np.array(corners), lens, sign=0, reach=reach)
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
