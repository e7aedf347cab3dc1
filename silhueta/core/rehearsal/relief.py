"""What bits leave of a sheet's top: its height at places 0.1 mm apart, kept in tiles.

Words used here
    cell      a square of the sheet whose height is kept at its middle
    tile      256 by 256 cells; tiles that no bit has touched take no memory
    cutter    the shape of a bit's underside: flat, a ball, or a cone down to its point
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.compiled import compiled
from silhueta.core.geometry.measure import Box
from silhueta.core.geometry.path import Floats
from silhueta.core.plan_settings import Tool

Heights = NDArray[np.float32]
CELL = 0.1  # mm between places: walls and floors are looked at within half of it
_TILE = 256  # cells of a tile's side: a quarter of a megabyte each
_MOST = 60_000_000  # cells at most: 240 MB; on a larger sheet cells grow instead
_FLAT, _BALL, _CONE = 0, 1, 2  # kinds of cutters, as numbers for compiled code
_POINT = 118.0  # degrees of a drill's point (common practice, no source)
_LAMP = np.array([-0.45, 0.55, 0.70])  # from the upper left, as drawings are lit
_WOOD = np.array([214.0, 184.0, 138.0])  # plywood, as it is shown
# chosen by eye, so that a groove of 0.5 mm and a floor of 3 mm are both seen
_DIM = 0.45  # of the light, that a place in the shade has
_BRIGHT = 1.35  # of the light on a level place, that a wall which faces the lamp has at most
_DEEP = 0.42  # of the light, that the underside of the sheet has less than its top


class Cutter(NamedTuple):
    """A bit's underside: flat, ball or cone (0, 1, 2), radius in mm, rise of a cone per mm."""

    kind: int
    radius: float
    rise: float = 0.0


def cutter_of(tool: Tool | None, width: float) -> Cutter:
    """Return the underside of a tool; of none that is known a flat one so wide."""
    if tool is None or not tool.diameter_mm:
        return Cutter(_FLAT, width / 2)
    radius = tool.diameter_mm / 2
    if tool.kind in ("vbit", "drill"):
        angle = tool.angle_deg or _POINT
        return Cutter(_CONE, radius, 1 / math.tan(math.radians(angle) / 2))
    return Cutter(_BALL if tool.kind == "ball" else _FLAT, radius)


class Relief:
    """The height of a sheet's top where bits went, mm; 0 is where it was.

    Parameters
    ----------
    box : (left, bottom, right, top), mm
    cell : float, mm
        Grows where the box would have more cells than the memory is for.

    """

    def __init__(self, box: Box, cell: float = CELL) -> None:
        left, bottom, right, top = box
        wide, high = max(right - left, cell), max(top - bottom, cell)
        self.cell = max(cell, math.sqrt(wide * high / _MOST))
        self.left, self.bottom = left, bottom
        self.columns = math.ceil(wide / self.cell)
        self.rows = math.ceil(high / self.cell)
        tall, broad = -(-self.rows // _TILE), -(-self.columns // _TILE)
        self._where = np.full((tall, broad), -1, np.int32)
        self._tiles: Heights = np.zeros((0, _TILE, _TILE), np.float32)
        self._used = 0

    def carve(self, segments: Floats, cutter: Cutter) -> None:
        """Take away what a bit does along straight segments, (N, 6) mm: x, y, z of both ends."""
        if not len(segments) or cutter.radius <= 0:
            return
        rows = np.ascontiguousarray(segments, np.float64)
        wanted = np.zeros(self._where.shape, np.bool_)
        _touch(wanted, rows, cutter.radius, self.left, self.bottom, self.cell)
        new = wanted & (self._where < 0)
        count = int(new.sum())
        if count:
            self._where[new] = np.arange(self._used, self._used + count)
            self._used += count
            if self._used > len(self._tiles):
                # half as many again, so that growing by single tiles does not copy them each time
                size = max(self._used, len(self._tiles) * 3 // 2)
                grown = np.zeros((size, _TILE, _TILE), np.float32)
                grown[: len(self._tiles)] = self._tiles
                self._tiles = grown
        _carve(
            self._tiles, self._where, rows, cutter.kind, cutter.radius, cutter.rise,
            self.left, self.bottom, self.cell, self.rows, self.columns,
        )  # fmt: skip

    def at(self, x: float, y: float) -> float:
        """Return the height at a place, mm; 0 where nothing was taken away, or outside."""
        column, row = int((x - self.left) // self.cell), int((y - self.bottom) // self.cell)
        if not (0 <= row < self.rows and 0 <= column < self.columns):
            return 0.0
        tile = self._where[row // _TILE, column // _TILE]
        return 0.0 if tile < 0 else float(self._tiles[tile, row % _TILE, column % _TILE])

    def at_all(self, places: Floats) -> Floats:
        """Return the heights at places (N, 2) in the box, (N,) mm."""
        column = ((places[:, 0] - self.left) // self.cell).astype(int)
        row = ((places[:, 1] - self.bottom) // self.cell).astype(int)
        column, row = np.clip(column, 0, self.columns - 1), np.clip(row, 0, self.rows - 1)
        tile = self._where[row // _TILE, column // _TILE]
        found = np.zeros(len(places))
        some = tile >= 0
        found[some] = self._tiles[tile[some], row[some] % _TILE, column[some] % _TILE]
        return found

    def heights(self) -> Heights:
        """Return all heights, (rows, columns) mm, the lowest row first."""
        tall, broad = self._where.shape
        whole = np.zeros((tall * _TILE, broad * _TILE), np.float32)
        for row, column in np.argwhere(self._where >= 0).tolist():
            y, x = row * _TILE, column * _TILE
            whole[y : y + _TILE, x : x + _TILE] = self._tiles[self._where[row, column]]
        return whole[: self.rows, : self.columns]

    def copy(self) -> Relief:
        """Return another one with the same heights, to be carved on."""
        other = object.__new__(Relief)
        other.__dict__.update(self.__dict__)
        other._where, other._tiles = self._where.copy(), self._tiles[: self._used].copy()
        return other


def shaded(heights: Heights, cell: float, thickness: float) -> NDArray[np.uint8]:
    """Return a picture of heights (H, W, 4), lit from one side; see-through where nothing is left.

    Rows are as they come, the lowest first. What lies deeper is darker, so that a pocket's floor
    differs from the top.
    """
    shown = np.empty((*heights.shape, 4), np.uint8)
    _shade(np.ascontiguousarray(heights), cell, thickness, _LAMP, _WOOD, shown)
    return shown


@compiled
def _shade(
    heights: Heights,
    cell: float,
    thickness: float,
    lamp: Floats,
    wood: Floats,
    shown: NDArray[np.uint8],
) -> None:
    rows, columns = heights.shape
    for r in range(rows):
        for c in range(columns):
            here = heights[r, c]
            dx = (heights[r, min(c + 1, columns - 1)] - heights[r, max(c - 1, 0)]) / (2 * cell)
            dy = (heights[min(r + 1, rows - 1), c] - heights[max(r - 1, 0), c]) / (2 * cell)
            size = math.sqrt(dx * dx + dy * dy + 1)
            # a level place has light 1; the cosine of the angle to the lamp, over that of the lamp
            light = max(lamp[2] - dx * lamp[0] - dy * lamp[1], 0.0) / (size * lamp[2])
            deep = min(max(-here / thickness, 0.0), 1.0) if thickness > 0 else 0.0
            grey = (_DIM + (1 - _DIM) * min(light, _BRIGHT)) * (1 - _DEEP * deep)
            for k in range(3):
                shown[r, c, k] = min(wood[k] * grey, 255.0)
            shown[r, c, 3] = 0 if thickness > 0 and here <= -thickness + 1e-3 else 255


@compiled
def _touch(
    wanted: NDArray[np.bool_], rows: Floats, radius: float, left: float, bottom: float, cell: float
) -> None:
    """Mark the tiles that a bit may reach along segments."""
    tall, broad = wanted.shape
    side = cell * _TILE
    for k in range(rows.shape[0]):
        low_x = min(rows[k, 0], rows[k, 3]) - radius - left
        high_x = max(rows[k, 0], rows[k, 3]) + radius - left
        low_y = min(rows[k, 1], rows[k, 4]) - radius - bottom
        high_y = max(rows[k, 1], rows[k, 4]) + radius - bottom
        for r in range(max(0, int(low_y // side)), min(tall - 1, int(high_y // side)) + 1):
            for c in range(max(0, int(low_x // side)), min(broad - 1, int(high_x // side)) + 1):
                wanted[r, c] = True


@compiled
def _carve(
    tiles: Heights,
    where: NDArray[np.int32],
    segments: Floats,
    kind: int,
    radius: float,
    rise: float,
    left: float,
    bottom: float,
    cell: float,
    rows: int,
    columns: int,
) -> None:
    """Lower cells to the lowest underside that passes over their middles.

    At a cell so far off the way (d), the bit's middle passes at v mm along it from the cell's foot.
    A flat underside is lowest at one end of what passes over the cell; for a cone and a ball the
    lowest v has a closed form, as their height along the way bends upwards.
    """
    for k in range(segments.shape[0]):
        x0, y0, z0 = segments[k, 0], segments[k, 1], segments[k, 2]
        dx, dy, dz = segments[k, 3] - x0, segments[k, 4] - y0, segments[k, 5] - z0
        long = math.sqrt(dx * dx + dy * dy)
        lowest = min(z0, z0 + dz)
        slope = 0.0
        ux, uy = 1.0, 0.0
        if long > 1e-9:
            ux, uy, slope = dx / long, dy / long, dz / long
        else:  # straight up or down: the lower end counts
            long, z0 = 0.0, lowest
        first = max(0, int((min(y0, y0 + dy) - radius - bottom) // cell))
        last = min(rows - 1, int((max(y0, y0 + dy) + radius - bottom) // cell))
        for r in range(first, last + 1):
            y = bottom + (r + 0.5) * cell - y0
            low, high = min(0.0, dx) - radius, max(0.0, dx) + radius
            if abs(uy) > 1e-6:  # of a slanting way only what lies beside it in this row
                one, two = (y * ux - radius) / uy, (y * ux + radius) / uy
                low, high = max(low, min(one, two)), min(high, max(one, two))
            begin = max(0, int((low + x0 - left) // cell))
            end = min(columns - 1, int((high + x0 - left) // cell))
            for c in range(begin, end + 1):
                tile = where[r // _TILE, c // _TILE]
                now = tiles[tile, r % _TILE, c % _TILE]
                if now <= lowest:
                    continue
                x = left + (c + 0.5) * cell - x0
                along = x * ux + y * uy
                across = x * uy - y * ux
                room = radius * radius - across * across
                if room < 0:
                    continue
                half = math.sqrt(room)
                t0, t1 = max(0.0, along - half), min(long, along + half)
                if t0 > t1:
                    continue
                if kind == 0:
                    z = z0 + min(slope * t0, slope * t1)
                else:
                    if kind == 2:
                        left_over = rise * rise - slope * slope
                        # steeper down than the cone's flank: its far end is the lowest
                        v = -slope * abs(across) / math.sqrt(left_over) if left_over > 0 else 0.0
                        if left_over <= 0:
                            v = -1e9 if slope > 0 else 1e9
                    else:
                        v = -slope * half / math.sqrt(1 + slope * slope)
                    t = min(max(along + v, t0), t1)
                    v = t - along
                    if kind == 2:
                        z = z0 + slope * t + rise * math.sqrt(across * across + v * v)
                    else:
                        z = z0 + slope * t + radius - math.sqrt(max(room - v * v, 0.0))
                if z < now:
                    tiles[tile, r % _TILE, c % _TILE] = z
