"""Parts and their copies placed on a sheet, close together.

One after the other, the largest first, each goes where there is room farthest down, then farthest
left, in the turn that ends lowest (bottom-left placement: B. S. Baker, E. G. Coffman and
R. L. Rivest, "Orthogonal packings in two dimensions", SIAM Journal on Computing 9, 1980, 846-855,
on true outlines). Room is looked for on a raster in which every part is drawn larger by half the
spacing and a pixel's diagonal, so what is placed never comes closer than was asked.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np
import shapely
from numpy.typing import NDArray

from silhueta.core.build.offset import outer_only
from silhueta.core.errors import EditError
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import bounding_box, signed_area
from silhueta.core.geometry.path import Floats, Loop, Path
from silhueta.core.geometry.transform import transform
from silhueta.core.work import Work

MOST, MOST_SHEETS = 5_000, 50  # parts
_PIXELS = 700  # along the longer side of the sheet
_TURNS = (0, 90, 180, 270)  # degrees
_CHORD = 0.02  # mm


class Sheet(NamedTuple):
    """A sheet of (width, height), mm; what lies on it keeps a margin and a spacing, mm."""

    width: float
    height: float
    margin: float = 5.0
    spacing: float = 5.0


class Placed(NamedTuple):
    """Parts on sheets.

    sheets : list of list of (int, list of Path)
        What lies on each, mm, a sheet's lower left at (0, 0): the number of a part, and its paths
        in the order in which they were given.
    placed : int
        Parts that found room.
    left : list of int
        Parts that did not, by their number.
    fill : list of float
        How much of each sheet is covered, 0 to 1.
    """

    sheets: list[list[tuple[int, list[Path]]]]
    placed: int
    left: list[int]
    fill: list[float]


def placed(
    parts: Sequence[Sequence[Path]],
    sheet: Sheet,
    turns: Sequence[int] = _TURNS,
    most_sheets: int = 1,
    work: Work | None = None,
) -> Placed:
    """Return parts placed on as many sheets as they need, up to `most_sheets`.

    Parameters
    ----------
    parts : sequence of sequences of Path, mm
        Each moved and turned as one.
    turns : sequence of int, degrees
        That a part may be turned by.

    Raises
    ------
    EditError
        If the sheet is none, or there are too many parts.

    """
    work = work or Work()
    inner = (sheet.width - 2 * sheet.margin, sheet.height - 2 * sheet.margin)
    if not (min(inner) > 0 and sheet.margin >= 0 and sheet.spacing >= 0):
        raise EditError("the sheet must be larger than its margins, and those 0 mm or more")
    if not max(sheet.width, sheet.height) <= 100_000:
        raise EditError("a sheet can be up to 100 m long")
    if len(parts) > MOST:
        raise EditError(f"up to {MOST:,} parts can be placed, not {len(parts):,}")
    step = max(max(inner) / _PIXELS, 0.1)
    order = sorted(range(len(parts)), key=lambda k: -_covered(parts[k]))
    sheets: list[list[tuple[int, list[Path]]]] = []
    rooms: list[NDArray[np.uint8]] = []
    area: list[float] = []
    left: list[int] = []
    masks: dict[tuple[int, int], tuple[NDArray[np.uint8], Floats]] = {}
    for number, k in enumerate(order):
        work.step(number / len(order))
        for s in range(most_sheets):
            if s == len(sheets):
                sheets.append([])
                rooms.append(_empty(inner, step))
                area.append(0.0)
            if _put(parts[k], k, rooms[s], sheets[s], (sheet, step), turns, masks):
                area[s] += _covered(parts[k])
                break
        else:
            left.append(k)
    fill = [some / (sheet.width * sheet.height) for some in area]
    kept = [s for s in range(len(sheets)) if sheets[s]]
    return Placed(
        [sheets[s] for s in kept], len(parts) - len(left), sorted(left), [fill[s] for s in kept]
    )


def _covered(part: Sequence[Path]) -> float:
    outer = outer_only([path for path in part if isinstance(path, Loop)])
    return float(sum(abs(signed_area(loop)) for loop in outer))


def _empty(inner: tuple[float, float], step: float) -> NDArray[np.uint8]:
    return np.zeros((int(inner[1] / step) + 1, int(inner[0] / step) + 1), np.uint8)


def _turned(part: Sequence[Path], degrees: int) -> list[Path]:
    angle = math.radians(degrees)
    c, s = round(math.cos(angle), 12), round(math.sin(angle), 12)
    made = [transform(path, np.array([[c, -s], [s, c]])) for path in part]
    box = bounding_box(made)
    return [transform(path, np.eye(2), (-box[0], -box[1])) for path in made]


def _mask(part: Sequence[Path], sheet: Sheet, step: float) -> tuple[NDArray[np.uint8], Floats]:
    """Return a part drawn with its spacing, and where its lower left is in that, px."""
    grown = sheet.spacing / 2 + step * math.sqrt(2)
    lines = [flatten(path, _CHORD) for path in part]
    solid = [
        shapely.Polygon(points).buffer(0)
        for path, points in zip(part, lines, strict=True)
        if isinstance(path, Loop) and len(points) >= 3
    ]
    loose = [
        shapely.LineString(points)
        for path, points in zip(part, lines, strict=True)
        if not isinstance(path, Loop)
    ]
    whole = shapely.union_all([*solid, *loose]).buffer(grown)
    low = np.array(whole.bounds[:2])
    size = np.ceil((np.array(whole.bounds[2:]) - low) / step).astype(int) + 1
    mask = np.zeros((int(size[1]), int(size[0])), np.uint8)
    rings = [
        np.round((np.array(piece.exterior.coords) - low) / step).astype(np.int32)
        for piece in shapely.get_parts(whole)
    ]
    cv2.fillPoly(mask, rings, (1,))
    return mask, -low / step


def _put(
    part: Sequence[Path],
    number: int,
    room: NDArray[np.uint8],
    on: list[tuple[int, list[Path]]],
    how: tuple[Sheet, float],
    turns: Sequence[int],
    masks: dict[tuple[int, int], tuple[NDArray[np.uint8], Floats]],
) -> bool:
    sheet, step = how
    inner = (sheet.width - 2 * sheet.margin, sheet.height - 2 * sheet.margin)
    best: tuple[float, float, int, Floats] | None = None
    for turn in turns:
        moved = _turned(part, turn)
        box = bounding_box(moved)
        if box[2] > inner[0] + 1e-9 or box[3] > inner[1] + 1e-9:
            continue
        key = (number, turn)
        if key not in masks:
            masks[key] = _mask(moved, sheet, step)
        mask, origin = masks[key]
        at = _lowest(room, mask, origin, (box[2] / step, box[3] / step), inner, step)
        if at is None:
            continue
        x, y = at
        score = (y + box[3] / step, x)
        if best is None or score < best[:2]:
            best = (*score, turn, np.array([x, y]))
    if best is None:
        return False
    _, _, turn, place = best
    mask, origin = masks[number, turn]
    shift = place * step + sheet.margin
    on.append((number, [transform(path, np.eye(2), shift) for path in _turned(part, turn)]))
    _draw(room, mask, np.round(place - origin).astype(int))
    return True


def _lowest(
    room: NDArray[np.uint8],
    mask: NDArray[np.uint8],
    origin: Floats,
    size: tuple[float, float],
    inner: tuple[float, float],
    step: float,
) -> tuple[float, float] | None:
    """Return the lowest, then leftmost place of a part's lower left, px; None without room."""
    if not room.any():
        return 0.0, 0.0
    high, wide = mask.shape
    padded = cv2.copyMakeBorder(room, high, high, wide, wide, cv2.BORDER_CONSTANT, value=0)
    met = cv2.matchTemplate(padded.astype(np.float32), mask.astype(np.float32), cv2.TM_CCORR)
    # the mask's lower left at row r, column c of `met` is at (c - wide, r - high) of the room
    x0, y0 = np.round(origin).astype(int)
    last = (int((inner[1] / step) - size[1] + 1e-9), int((inner[0] / step) - size[0] + 1e-9))
    if min(last) < 0:
        return None
    free = met[high - y0 : high - y0 + last[0] + 1, wide - x0 : wide - x0 + last[1] + 1] < 0.5
    rows = np.flatnonzero(free.any(axis=1))
    if not len(rows):
        return None
    return float(free[rows[0]].argmax()), float(rows[0])


def _draw(room: NDArray[np.uint8], mask: NDArray[np.uint8], corner: NDArray[np.int64]) -> None:
    x, y = int(corner[0]), int(corner[1])
    high, wide = mask.shape
    left, low = max(x, 0), max(y, 0)
    right, top = min(x + wide, room.shape[1]), min(y + high, room.shape[0])
    if right > left and top > low:
        room[low:top, left:right] |= mask[low - y : top - y, left - x : right - x]
