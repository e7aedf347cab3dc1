"""What a part's face looks like, once its own light is known: slow, in marks, or in a shadow.

Words used here
    core    where face is likely, which the rest is held against
    evened  of a look: with the light taken out that the face has there, so that it is the same all
            over
    relit   of a look: as light as the face is elsewhere, where a shadow lies on it
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from silhueta.core.trace.part.brushed import marks
from silhueta.core.trace.part.looks import Light, Looks, Mask, disc, ground_light, largest

OTHER_COLOUR = 0.15  # difference from the face's colour from which something is of another
LEAST_CORE = 500  # px of the face that its light is told from
_DARKEST, _LIGHTEST, _NEUTRAL = -1.6, -0.1, 0.2  # look of a face that may be taken for shadow
_CLEAREST = 3.0  # by which light is told more finely along marks
_ALWAYS = np.array([0.12, 0.05, 0.05])  # spread of a face's look that is always allowed
COLOURED = 0.3  # difference from the ground's colour from which a face is known by its own
# times the face's colour that it may be in a shadow; how far beside its way
_PALER, _ASIDE = (0.6, 1.4), 0.15
_ALSO_GROUND = 0.02  # share of the ground that may look so
_DARKEST_ON = 2.3  # of the logarithm of light under the face's, from which it is no shadow on it
_WIDE_MM, _CORNER_MM = 3.0, 1.4  # width of a shadow at least; of what is added in its corners


def like_face(looks: Looks, core: Mask) -> Light:
    """Return how many spreads each look lies from that of the part's face, seen in its `core`."""
    values = looks.look[core].astype(np.float64)
    if len(values) < 20:  # nothing is known of it
        return np.zeros(core.shape, np.float32)
    middle = np.median(values, axis=0)
    usual = 1.4826 * np.median(np.abs(values - middle), axis=0) + _ALWAYS
    return np.asarray(largest(np.abs(looks.look - middle) / usual), np.float32)


class Evened(NamedTuple):
    """Looks of the face with its own light taken out, and how much clearer light is told then.

    way : float, degrees
        Of the marks that tell it.
    marks : (H, W), or None
        Logarithm of the light that they give the face and take from it.
    """

    looks: Looks
    clearer: float
    way: float = 0.0
    marks: Light | None = None


def like_a_shadow(looks: Looks, part: Mask) -> bool:
    """Return whether a part's face could be ground in shadow: neutral, and darker than it."""
    light, *colour = np.median(looks.look[part], axis=0).tolist() if part.any() else (0.0, 1.0)
    return bool(_DARKEST < light < _LIGHTEST and float(np.hypot(*colour)) <= _NEUTRAL)


def evened(
    looks: Looks, core: Mask, mm: float, marked: bool = True, perhaps: Mask | None = None
) -> Evened:
    """Return looks with the light of the face, seen in its `core`, taken out: slow or in marks.

    Parameters
    ----------
    looks : Looks
    core : (H, W) of bool
    mm : float
        Side of a pixel.
    marked : bool
        Marks are looked for; where the face is like no shadow its edges are clear without.
    perhaps : (H, W) of bool, optional
        As `marks` takes it.

    """
    if core.sum() < LEAST_CORE:
        return Evened(looks, 1.0)
    level = looks.look[..., 0]
    light = ground_light(level, core, one_sided=False)
    light = slow = np.clip(light, light[core].min(), light[core].max())
    clearer = 1.0
    seen = marks(level, slow, core, mm, perhaps) if marked else None
    if seen is not None:
        usual = 1.4826 * float(np.median(np.abs(level - slow)[core]))
        clearer = float(np.clip(usual / max(seen.spread, 1e-6), 1.0, _CLEAREST))
        light = np.where(np.isfinite(seen.light), seen.light, slow)
    look = looks.look.copy()
    look[..., 0] = (level - light) * clearer + np.float32(np.median(light[core]))
    new = looks._replace(look=look)
    if seen is None:
        return Evened(new, clearer)
    return Evened(new, clearer, seen.way, np.asarray(light - slow, np.float32))


def same_way(seen: Light, colour: list[float]) -> Mask:
    """Return which colours (..., 2) are a face's, or that in another thing's shadow."""
    long = float(np.hypot(colour[0], colour[1]))
    way = np.array(colour, np.float32) / np.float32(long)
    along = seen @ way / np.float32(long)
    aside = np.abs(seen @ np.array([-way[1], way[0]]))
    least, most = _PALER
    return np.asarray((along > least) & (along < most) & (aside < _ASIDE))


def relit(own: Evened, core: Mask, ground: Mask, mm: float) -> Evened:
    """Return looks with a coloured face as light in another thing's shadow as it is elsewhere.

    A shadow leaves a colour's way, though the light that bounces into it draws it towards the
    ground's. Narrow dark places of that colour are walls, and stay dark; so does what is so dark
    that its colour can hardly be told, such as holes over a dark ground.

    Parameters
    ----------
    own : Evened
    core, ground : (H, W) of bool
        Where face is likely, and bare ground, which must be of another colour.
    mm : float
        Side of a pixel.

    """
    import cv2

    look = own.looks.look
    if core.sum() < LEAST_CORE:
        return own
    face = look[core]
    light, *colour = np.median(face, axis=0).tolist()
    if float(np.hypot(colour[0], colour[1])) < COLOURED:
        return own
    same = same_way(look[..., 1:], colour)
    if ground.any() and same[ground].mean() > _ALSO_GROUND:
        return own
    usual = 1.4826 * float(np.median(np.abs(face[:, 0] - light))) + float(_ALWAYS[0])
    shade = (look[..., 0] < light - usual) & (look[..., 0] > light - _DARKEST_ON)
    dark = (same & shade).astype(np.uint8)
    dark = cv2.morphologyEx(dark, cv2.MORPH_CLOSE, np.ones((3, 3), np.uint8))
    wide, corner = disc(_WIDE_MM / mm), disc(_CORNER_MM / mm)
    shadow = (cv2.dilate(cv2.morphologyEx(dark, cv2.MORPH_OPEN, wide), corner) > 0) & (dark > 0)
    lit = look.copy()
    lit[..., 0][shadow] = light
    return own._replace(looks=own.looks._replace(look=lit))
