"""A picture after its cleaning steps: what they do to its greys, and which of it counts."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from silhueta.core.errors import PictureError
from silhueta.core.job import PictureFile
from silhueta.core.picture.decode import Picture, decode_colour, eight
from silhueta.core.picture.even_light import evened_light
from silhueta.core.steps import Backdrop, Crop, EvenLight, Step, Stroke

_SHARPEST = 4  # binary digits of a stroke's places


def cleaned(
    picture: Picture, steps: Sequence[Step], file: PictureFile | None, dark_part: bool = True
) -> Picture:
    """Return `picture` after the steps that change greys, in their order.

    Parameters
    ----------
    picture : Picture
    steps : sequence of Step
        Those that only move or choose (crop, turn, straighten, mirror) change no grey.
    file : PictureFile or None
        Where colours are read from, for a backdrop.
    dark_part : bool
        Whether ink is dark.

    """
    grey = picture.grey
    for step in steps:
        if not step.on:
            continue
        if isinstance(step, EvenLight):
            grey = evened_light(eight(grey))
        elif isinstance(step, Backdrop) and file is not None:
            grey = _dropped(eight(grey), decode_colour(file), step, dark_part)
        elif isinstance(step, Stroke):
            grey = _painted(grey, step, dark_part)
    if grey is picture.grey:
        return picture
    grey.setflags(write=False)
    return replace(picture, grey=grey)


def colours_painted(
    colours: NDArray[np.uint8] | None, steps: Sequence[Step], dark_part: bool = True
) -> NDArray[np.uint8] | None:
    """Return colours (H, W, 3) with the strokes of ink and scrape, the same array without any.

    None where a step works on greys alone, or there are no colours.
    """
    on = [step for step in steps if step.on]
    if colours is None or any(isinstance(step, EvenLight | Backdrop) for step in on):
        return None
    strokes = [step for step in on if isinstance(step, Stroke)]
    if not strokes:
        return colours
    made = colours.copy()
    for stroke in strokes:
        cover = stroke_cover(stroke, colours.shape) / np.float32(255)
        touched = cover > 0
        value = 0.0 if stroke.ink == dark_part else 255.0
        share = cover[touched][:, None]
        made[touched] = np.round(made[touched] * (1 - share) + share * value)
    return made


def crop_box(steps: Sequence[Step], height: int, width: int) -> tuple[int, int, int, int] | None:
    """Return the box (left, top, right, bottom) in px that all crops leave, or None without any.

    Raises
    ------
    PictureError
        If they leave nothing.

    """
    crops = [step for step in steps if isinstance(step, Crop) and step.on]
    if not crops:
        return None
    left = max(0, *(round(c.x) for c in crops))
    top = max(0, *(round(c.y) for c in crops))
    right = min(width, *(round(c.x + c.width) for c in crops))
    bottom = min(height, *(round(c.y + c.height) for c in crops))
    if right - left < 2 or bottom - top < 2:
        raise PictureError(
            f"the crop leaves nothing of the picture, which is {width} x {height} px; draw it "
            "inside, or take it out at Picture"
        )
    return left, top, right, bottom


def stroke_cover(stroke: Stroke, shape: tuple[int, ...]) -> NDArray[np.uint8]:
    """Return how much a stroke covers of each pixel of a picture of `shape`, 0 to 255."""
    import cv2

    places = np.clip(np.array(stroke.points) - 0.5, -30_000, 230_000)
    fixed = np.round(places * 2**_SHARPEST).astype(np.int32)
    cover = np.zeros(shape[:2], np.uint8)
    if stroke.width == 0:
        cv2.fillPoly(cover, [fixed], 255, cv2.LINE_AA, _SHARPEST)
        return cover
    width = max(1, round(stroke.width))
    radius = round(stroke.width / 2 * 2**_SHARPEST)
    if len(fixed) > 1 and width < 32_000:
        cv2.polylines(cover, [fixed], False, 255, width, cv2.LINE_AA, _SHARPEST)
    for x, y in fixed.tolist():
        cv2.circle(cover, (x, y), radius, 255, -1, cv2.LINE_AA, _SHARPEST)
    return cover


def _painted(
    grey: NDArray[np.uint8] | NDArray[np.uint16], stroke: Stroke, dark_part: bool
) -> NDArray[np.uint8] | NDArray[np.uint16]:
    """Return `grey` with a stroke in full black or white, smooth at its rim."""
    top = 255 if grey.dtype == np.uint8 else 65535
    made = grey.copy()
    colour = 0 if stroke.ink == dark_part else top
    cover = stroke_cover(stroke, grey.shape)
    touched = cover > 0
    share = cover[touched] / 255.0
    made[touched] = np.round(made[touched] + share * (colour - made[touched].astype(np.float64)))
    return made


def _dropped(
    grey: NDArray[np.uint8], colour: NDArray[np.uint8], step: Backdrop, dark_part: bool
) -> NDArray[np.uint8]:
    """Return `grey` with the picked colours white (black for a light part), softly."""
    import cv2

    ground = 255 if dark_part else 0
    picked = np.array(step.colours, np.uint8)[None]
    wanted = cv2.cvtColor(picked.astype(np.float32) / 255, cv2.COLOR_RGB2Lab)[0]
    made = np.empty_like(grey)
    band = max(1, 4_000_000 // grey.shape[1])
    for top in range(0, len(grey), band):
        part = slice(top, top + band)
        lab = cv2.cvtColor(colour[part].astype(np.float32) / 255, cv2.COLOR_RGB2Lab)
        away = np.min([np.linalg.norm(lab - w, axis=2) for w in wanted], axis=0)
        keep = np.clip((away - step.reach) / (0.5 * step.reach) + 0.5, 0, 1)
        made[part] = np.round(ground + keep * (grey[part].astype(np.float32) - ground))
    return made
