"""What a picture is taken for, and the trace settings that go with it.

Words used here
    reading   a part on its ground (a photo), a solid shape, a line drawing, or flat colours
    light     whether the picture's values were blended before the file bent them ("linear": photos
              and scans) or after ("stored": graphics that a program drew)
    figure    what differs from the ground round it
    stroke    width of a figure, measured at its middle
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.path import Floats
from silhueta.core.picture.decode import Picture
from silhueta.core.picture.tally import tally
from silhueta.core.trace.colour.split import main_colours
from silhueta.core.trace.light import Light, light_of
from silhueta.core.trace.part.looks import ground_light
from silhueta.core.trace_settings import Read, TraceSettings

_SMALL = 1000  # px of the long side at which a picture is read
_EVEN = 0.55  # share of the picture that is flat ground, from which it is no bench
_LEVEL = 0.09  # of the light: a difference that flat ground may have
_APART = 0.25  # of the light, from which something is no ground
_INK = 0.5  # of the light, that ink on a sheet takes away, blurred as it is
_THIN = 0.35  # of what differs stays when thin things are taken away: less is lines
_LEAST = 3e-4  # of the picture, that lines cover at least
_COLOURED = 16.0  # CIE 1976 chroma from which a colour is one
_COLOUR_SHARE = 0.01
_STROKE = 0.02  # of the long side, that a pen line is wide at most
_UNIFORM = 2.3  # widest stroke over the usual one in a drawing
_GAPS_MM = 2.0  # breaks of a drawing's line that are closed
_PARTED = 0.68  # of the variance, that lies between a solid shape and its ground at least
_FEW_INK = 0.2  # of the picture that the ink of a drawing covers at most


@dataclass(frozen=True)
class Reading:
    """What a picture is taken for.

    Parameters
    ----------
    kind : {"part", "solid", "line", "colours"}
    light_figure : bool
        Of a solid shape or a drawing: lighter than its ground.
    colours : int
        Main colours, of flat colours.
    light : {"linear", "stored"}
    why : str
        In a few words, for a person.

    """

    kind: Read
    light_figure: bool
    colours: int
    light: Light
    why: str


def reading_of(
    picture: Picture,
    colours: NDArray[np.uint8],
    sheet: Floats | None = None,
    other_datum: bool = False,
    said: bool = False,
) -> Reading:
    """Return what `picture` is taken for, and why.

    Parameters
    ----------
    picture : Picture
    colours : (H, W, 3) of uint8
    sheet : (4, 2) px, optional
        Corners of a sheet that was found in it: then it is a photo.
    other_datum : bool
        A card, gauge sheet or known length is in it.
    said : bool
        A person says that it is a scan or a photo.

    """
    found = _reading(picture, colours, sheet, other_datum, said)
    if picture.dithered:
        found = replace(found, why=f"{found.why}; made of dots, which are smoothed")
    return found


def _reading(
    picture: Picture,
    colours: NDArray[np.uint8],
    sheet: Floats | None,
    other_datum: bool,
    said: bool,
) -> Reading:
    import cv2

    factor = min(1.0, _SMALL / max(colours.shape[:2]))
    size = (max(1, round(colours.shape[1] * factor)), max(1, round(colours.shape[0] * factor)))
    small = np.asarray(cv2.resize(colours, size, interpolation=cv2.INTER_AREA), np.uint8)
    camera = picture.focal35 is not None or sheet is not None
    light: Light = "linear" if camera else light_of(picture, said)
    grey = np.asarray(cv2.cvtColor(small, cv2.COLOR_RGB2GRAY), np.uint8)
    if sheet is not None:
        on = _inside(grey.shape, sheet * factor)
        if on.sum() > 400 and _mostly_thin(grey, on):
            return Reading("line", False, 0, light, "thin lines on the sheet")
        return Reading("part", False, 0, light, "a photo with a sheet in it")
    if camera and (other_datum or not _paper(grey)):
        return Reading("part", False, 0, light, "a camera's photo")
    many = main_colours(small, _COLOUR_SHARE)
    coloured = sum(1 for _, chroma in many if chroma > _COLOURED)
    even = _flat_ground(grey)
    if coloured >= 2 and _clean(small) and (light == "stored" or even):
        return Reading("colours", False, len(many), light, f"{len(many)} flat colours")
    if light == "linear" and not even:
        return Reading("part", False, 0, light, "an uneven ground, as a bench has")
    figure, lighter = _figure(grey)
    if figure.mean() > _LEAST and figure.mean() < _FEW_INK and _strokes_alike(figure):
        return Reading("line", lighter, 0, light, "lines of one width")
    if light == "linear" and _parted(grey, figure) < _PARTED:
        return Reading("part", False, 0, light, "shades of grey without an even figure")
    side = "light" if lighter else "dark"
    return Reading("solid", lighter, 0, light, f"{side} on an even ground")


def settings_of(reading: Reading, settings: TraceSettings) -> TraceSettings:
    """Return `settings` as they suit a reading; speck, tolerance and the like stay."""
    plain = replace(settings, read=reading.kind, threshold=None, split=0, pen=None, invert=False)
    if reading.kind == "part":
        return replace(plain, mode="part")
    plain = replace(plain, mode="threshold", invert=reading.light_figure)
    if reading.kind == "line":
        gaps = settings.close_gaps or _GAPS_MM
        return replace(plain, pen="centre", invert=reading.light_figure, close_gaps=gaps)
    if reading.kind == "colours":
        return replace(plain, split=max(2, reading.colours), invert=False)
    return plain


def as_read(kind: Read, reading: Reading) -> Reading:
    """Return the reading that a person asked for, with what the picture told besides."""
    return replace(reading, kind=kind, colours=max(2, reading.colours), why="as you said")


def _paper(grey: NDArray[np.uint8]) -> bool:
    """Return whether the picture's rim is light and even: a photographed drawing."""
    wide = max(2, round(0.06 * min(grey.shape)))
    rim = np.ones(grey.shape, bool)
    rim[wide:-wide, wide:-wide] = False
    return bool(np.quantile(grey[rim], 0.1) > 110) and _flat_ground(grey)


def _inside(shape: tuple[int, ...], corners: Floats) -> NDArray[np.bool_]:
    import cv2

    mask = np.zeros(shape[:2], np.uint8)
    middle = corners.mean(0)
    places = middle + 0.97 * (corners - middle)
    cv2.fillPoly(mask, [np.round(places).astype(np.int32)], 1)
    return mask > 0


def _uneven(grey: NDArray[np.uint8], mask: NDArray[np.bool_]) -> NDArray[np.float32]:
    """Return by how much each place differs from the ground round it, in logarithms of light."""
    level = np.log(grey.astype(np.float32) + 4.0) * np.float32(2.2)
    return np.asarray(level - ground_light(level, mask, one_sided=True), np.float32)


def _mostly_thin(grey: NDArray[np.uint8], on: NDArray[np.bool_]) -> bool:
    import cv2

    apart = np.abs(_uneven(grey, on))
    unlike = (on & (apart > _APART)).astype(np.uint8)
    if unlike.sum() < _LEAST * on.sum() or np.median(apart[unlike > 0]) < _INK:
        return False
    # streaks close by each other are one surface; pen lines keep their distance
    closed = cv2.morphologyEx(unlike, cv2.MORPH_CLOSE, np.ones((7, 7), np.uint8))
    solid = cv2.morphologyEx(closed, cv2.MORPH_OPEN, np.ones((9, 9), np.uint8))
    return bool(solid.sum() < _THIN * unlike.sum()) and _strokes_alike(unlike > 0)


def _flat_ground(grey: NDArray[np.uint8]) -> bool:
    """Return whether most of the picture's rim is one even ground, light or dark."""
    import cv2

    calm = cv2.GaussianBlur(grey, (0, 0), 0.8)
    rim = np.zeros(grey.shape, bool)
    wide = max(2, round(0.06 * min(grey.shape)))
    rim[:wide], rim[-wide:], rim[:, :wide], rim[:, -wide:] = True, True, True, True
    everywhere = np.ones(grey.shape, bool)
    level = np.log(calm.astype(np.float32) + 8.0) * np.float32(2.2)
    for way in (level, -level):
        apart = np.abs(way - ground_light(way, everywhere, one_sided=True))
        ground = apart < 1.5 * _LEVEL
        if ground.mean() > _EVEN * 0.5 and ground[rim].mean() > _EVEN:
            return True
    return False


def _figure(grey: NDArray[np.uint8]) -> tuple[NDArray[np.bool_], bool]:
    """Return what is no ground, and whether that is lighter."""
    counts = tally(grey)
    from silhueta.core.trace.edge.threshold import automatic_level

    if np.count_nonzero(counts) < 2:
        return np.zeros(grey.shape, bool), False
    dark = grey < automatic_level(counts)
    wide = max(2, round(0.03 * min(grey.shape)))
    frame = np.concatenate(
        [dark[:wide].ravel(), dark[-wide:].ravel(), dark[:, :wide].ravel(), dark[:, -wide:].ravel()]
    )
    lighter = bool(frame.mean() > 0.5)
    return (~dark if lighter else dark), lighter


def _parted(grey: NDArray[np.uint8], figure: NDArray[np.bool_]) -> float:
    """Return the share of the greys' variance that lies between figure and ground.

    N. Otsu, "A threshold selection method from gray-level histograms", IEEE Transactions on
    Systems, Man and Cybernetics 9(1), 1979, 62-66, the measure eta.
    """
    share = float(figure.mean())
    if not 0 < share < 1:
        return 1.0
    apart = float(grey[figure].mean()) - float(grey[~figure].mean())
    return share * (1 - share) * apart**2 / max(float(grey.var()), 1e-9)


def _strokes_alike(figure: NDArray[np.bool_]) -> bool:
    """Return whether a figure is made of lines of about one width."""
    import cv2

    away = cv2.distanceTransform(figure.astype(np.uint8), cv2.DIST_L2, 5)
    ridge = (away >= cv2.dilate(away, np.ones((3, 3), np.uint8)) - 1e-3) & (away > 0)
    widths = 2 * away[ridge]
    if len(widths) < 30:
        return False
    usual = float(np.median(widths))
    # a line is long against its width: its area is about width times half of its border
    broad = float(np.quantile(widths, 0.97))
    return usual <= _STROKE * max(figure.shape) and broad <= _UNIFORM * max(usual, 2.0)


def _clean(small: NDArray[np.uint8]) -> bool:
    """Return whether most of the picture lies in flat areas, as a graphic's does."""
    import cv2

    calm = cv2.medianBlur(small, 3)
    kernel = np.ones((3, 3), np.uint8)
    spread = (cv2.dilate(calm, kernel).astype(np.int16) - cv2.erode(calm, kernel)).max(-1)
    return bool((spread <= 14).mean() > 0.7)
