"""The tone that a picture's file states, brought to sRGB's: which light each stored value means.

Words used here
    tone    the curve that bends light into stored values
    table   the sRGB value, 0 to 255, of each stored one

References
----------
IEC 61966-2-1:1999, clause 5.2 (sRGB). ICC.1:2022, 10.6 and 10.18 (curves of a profile). W3C
Recommendation "Portable Network Graphics (PNG) Specification (Second Edition)", 11.3.3.2 (gAMA).
"""

from __future__ import annotations

import io
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from silhueta.core.picture.light import stored_of

if TYPE_CHECKING:
    from PIL.Image import Image as ImageType

_SAME = 3  # of 255, that a tone may be off sRGB's and is taken for it
_USUAL = (2.1, 2.3)  # powers that PNGs state where they mean sRGB
_MODES = ("L", "RGB", "LA", "RGBA")


def in_srgb(image: ImageType) -> ImageType:
    """Return a picture of eight bits a value with its tone brought to sRGB's.

    The same picture comes back where its file states no tone, sRGB's, or one that makes no sense.
    """
    if image.mode not in _MODES:
        return image
    table = _by_profile(image.info.get("icc_profile"))
    if table is None and "srgb" not in image.info:
        table = _by_gamma(image.info.get("gamma"))
    if table is None or np.abs(table - np.arange(256)).max() <= _SAME:
        return image
    bands = len(image.getbands())
    clear = bands in (2, 4)  # how opaque a place is has no tone
    own = np.round(table).astype(int).tolist()
    return image.point(own * (bands - clear) + list(range(256)) * clear)


def _by_profile(profile: Any) -> NDArray[np.float64] | None:
    """Return the table of an ICC profile of greys or of red, green and blue."""
    from PIL import Image, ImageCms

    if not isinstance(profile, bytes):
        return None
    try:
        told = ImageCms.ImageCmsProfile(io.BytesIO(profile))
        kind = "L" if told.profile.xcolor_space.strip() == "GRAY" else "RGB"
        ramp = Image.frombytes("L", (256, 1), bytes(range(256)))
        given = ramp if kind == "L" else Image.merge("RGB", (ramp, ramp, ramp))
        srgb = ImageCms.createProfile("sRGB")
        change = ImageCms.buildTransform(told, srgb, kind, "RGB", ImageCms.Intent.PERCEPTUAL)
        made = ImageCms.applyTransform(given, change)
    except Exception:  # a file may hold anything here
        return None
    table = np.asarray(made, np.float64)[0].mean(1) if made is not None else np.zeros(256)
    return _sensible(table)


def _by_gamma(told: Any) -> NDArray[np.float64] | None:
    """Return the table of a PNG's gAMA: stored values are light to that power."""
    try:
        power = 1 / float(told)
    except (TypeError, ValueError, ZeroDivisionError):
        return None
    if not 1.0 <= power <= 4.0 or _USUAL[0] <= power <= _USUAL[1]:
        return None
    return _sensible(255 * stored_of((np.arange(256) / 255) ** power))


def _sensible(table: NDArray[np.float64]) -> NDArray[np.float64] | None:
    rises = bool((np.diff(table) >= -1).all()) and table[-1] - table[0] > 200
    return table if rises else None
