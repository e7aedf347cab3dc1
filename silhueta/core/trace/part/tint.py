"""The tint of a face: its colour told finely, which holds where its light tells nothing.

Words used here
    tint    colour averaged over some tenths of a mm and evened over the face, in spreads of the
            face's own
    off     how far a place's tint lies from the face's, in those

Marks change the light of a metal face and hardly its colour. Shadow is of the ground's colour, lit
by what bounces from the bench and from the sky; paper that shines through a hole stays paper. So
where face and shadow are equally light, they mostly differ in tint, by far less than a pixel's own
noise, and by several times the noise of a tenth of a mm². An evenly coloured face is told from grey
shade at its foot in the same way, however dark that is; face in another thing's shadow is paler and
still of its colour.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.trace.part.face import COLOURED, LEAST_CORE, same_way
from silhueta.core.trace.part.looks import (
    Light,
    Looks,
    Mask,
    Seen,
    disc,
    ground_light,
    mm_from,
    where_fits,
)

_TINT_MM, _TINT_PX = 0.3, 0.7  # over which colour is averaged, the longer of the two
_SPREAD, _FINEST = 0.1, 6.0  # that the face's then has; by how much colour is stretched at most
_EVENLY = 0.1  # of how far a face's colour lies from the ground's, that its spread is at most
_OTHER = 2.5  # off from which a place is of another tint
_OTHER_MM, _OTHER_PX = 0.8, 4.0  # that it must be wide, the longer of the two
_AGAINST, _SURELY, _MOST = 0.7, 2.0, 3.0  # leaning against the face a spread, from, and up to
# Off, width and area of what has the face's tint and was left out. Where its outer edge is as steep
# as this share of the part's own, and no more than that share of shadow has that tint, it is face.
_SAME, _WIDE_MM, _LEAST_MM2 = 1.0, 1.0, 6.0
_STEEP, _ALSO, _LEAST_EDGE = 0.4, 0.25, 10
_CLOSE_MM, _SHADOW_MM, _LIGHTER = 0.3, 4.0, 0.15  # beside a part, and light, of its shadow
_FARTHEST_MM = 6.0  # from the part, of what may be of it


class Tint(NamedTuple):
    """The tint of each place.

    colour : (H, W, 2) of float32
        As `Looks` has it; of a face that is hardly coloured stretched by its spreads.
    off : (H, W) of float32
    """

    colour: Light
    off: Light

    def against(self, mm: float) -> Light:
        """Return the leaning against the face that this alone gives, (H, W); `mm`: of a pixel."""
        leaning = _AGAINST * np.clip(self.off - _SURELY, 0.0, _MOST)
        return np.where(where_fits(self.off > _SURELY, _shape(mm)), leaning, 0.0).astype(np.float32)

    def other(self, mm: float) -> Mask:
        """Return what is clearly of another tint than the face, (H, W); `mm`: side of a pixel."""
        return where_fits(self.off > _OTHER, _shape(mm))


def tint_of(looks: Looks, core: Mask, mm: float, marked: bool = True) -> Tint | None:
    """Return the tint of each place, or None where that says nothing sure.

    So it is where too little of the face is known, and without marks also where the face's colour
    is the ground's, or in patches.

    Parameters
    ----------
    looks : Looks
    core : (H, W) of bool
        Where face is likely.
    mm : float
        Side of a pixel.
    marked : bool
        Whether marks run over the face.

    """
    import cv2

    if core.sum() < LEAST_CORE:
        return None
    own = np.median(looks.look[core][:, 1:], axis=0).tolist()
    apart = float(np.hypot(*own))
    if not marked and apart < COLOURED:
        return None
    # bare ground is left out, or it would colour what is beside it
    weight = looks.unlike.astype(np.float32)
    wide = max(_TINT_MM / mm, _TINT_PX)
    some = np.maximum(cv2.GaussianBlur(weight, (0, 0), wide), np.float32(1e-3))
    colour, calmed = looks.look[..., 1:].copy(), looks.look[..., 1:].copy()
    off = np.zeros(core.shape, np.float32)
    for k in range(2):
        total = cv2.GaussianBlur(colour[..., k] * weight, (0, 0), wide)
        calmed[..., k] = np.where(looks.unlike, total / some, colour[..., k])
        calm = np.ascontiguousarray(calmed[..., k])
        slow = ground_light(calm, core, one_sided=False)
        away = calm - np.clip(slow, slow[core].min(), slow[core].max())
        spread = 1.4826 * float(np.median(np.abs(away[core])))
        if not marked and spread > _EVENLY * apart:
            return None
        stretched = float(np.clip(_SPREAD / max(spread, 1e-6), 1.0, _FINEST)) * away
        colour[..., k] = np.median(calm[core]) + stretched
        off = np.maximum(off, np.abs(stretched - np.median(stretched[core])) / _SPREAD)
    if apart >= COLOURED:  # that is told without, and in another thing's shadow it is paler
        colour = looks.look[..., 1:]
        off = np.where(same_way(calmed, own), np.float32(0.0), off)
    return Tint(colour, np.asarray(off, np.float32))


def left_out(tint: Tint, made: Mask, looks: Looks, seen: Seen) -> Mask:
    """Return what is beside the part and of it, though its light is that of a shadow.

    It has the tint of the face, shadows have not, and it ends as sharply as the part.

    Parameters
    ----------
    tint : Tint
    made : (H, W) of bool
        The part as far as it is known.
    looks, seen
        What it is seen in.

    """
    import cv2

    away, shape = mm_from(made, seen.mm), disc(_WIDE_MM / seen.mm)
    same = (tint.off < _SAME) & looks.unlike
    left = where_fits(same & ~made & (away < _FARTHEST_MM), shape)
    _, labels, stats, _ = cv2.connectedComponentsWithStats(left.astype(np.uint8))
    found = np.zeros_like(made)
    large = 1 + np.flatnonzero(stats[1:, cv2.CC_STAT_AREA] * seen.mm**2 >= _LEAST_MM2)
    if not len(large):
        return found
    level = looks.look[..., 0]
    lit = level < np.median(level[made]) + _LIGHTER
    shadow = looks.unlike & (away > _CLOSE_MM) & (away < _SHADOW_MM) & lit
    calm = cv2.GaussianBlur(level, (0, 0), 0.8)
    steep = cv2.magnitude(*(cv2.Sobel(calm, cv2.CV_32F, *way) for way in ((1, 0), (0, 1))))
    small = np.ones((3, 3), np.uint8)
    ground = cv2.dilate((~looks.unlike).astype(np.uint8), small) > 0  # and beside it
    own = (cv2.dilate(made.astype(np.uint8), small) > 0) & ~made & ground
    if not own.any():
        return found
    usual = float(np.median(steep[own]))
    for label in large.tolist():
        piece = labels == label
        near = cv2.dilate(piece.astype(np.uint8), shape) > 0
        edge = near & ground & looks.unlike & ~made
        others = shadow & ~near
        if (
            (near & made).any()
            and edge.sum() >= _LEAST_EDGE
            and np.median(steep[edge]) > _STEEP * usual
            and others.any()
            and same[others].mean() < _ALSO
        ):
            found |= piece
    return found


def _shape(mm: float) -> NDArray[np.uint8]:
    """Return the least that can have a tint of its own: colour bleeds over edges."""
    return disc(max(_OTHER_MM / mm, _OTHER_PX))
