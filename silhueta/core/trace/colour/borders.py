"""Borders between areas of a picture that has a label at every pixel.

Words used here
    corner   a corner of pixels, on the lattice between them; (0, 0) is the picture's own
    crack    the side between two pixels of different labels
    meeting  a corner where three or more cracks meet
    border   a chain of cracks with one label on its left and one on its right, from meeting to
             meeting, or closed
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.compiled import compiled, doubled

Labels = NDArray[np.uint8]
OUTSIDE = 255


class Borders(NamedTuple):
    """All borders.

    corners : (K, 2) of int, (x, y); border i is ``corners[first[i]:first[i + 1]]``, both ends
        included; a closed one ends where it began.
    first : (N + 1,) of int
    sides : (N, 2) of int, labels on the left and on the right as one walks, seen with y down
    closed : (N,) of bool
    """

    corners: NDArray[np.int64]
    first: NDArray[np.int64]
    sides: NDArray[np.int64]
    closed: NDArray[np.bool_]

    def __len__(self) -> int:
        return len(self.sides)

    def border(self, i: int) -> NDArray[np.int64]:
        """Return the corners of border `i`, (n, 2)."""
        return self.corners[self.first[i] : self.first[i + 1]]


def borders(labels: Labels) -> Borders:
    """Return the borders between `labels`, (H, W), and along the picture's own border."""
    return Borders(*_walk(np.ascontiguousarray(labels)))


@compiled
def _at(labels: Labels, r: int, c: int) -> int:
    if r < 0 or c < 0 or r >= labels.shape[0] or c >= labels.shape[1]:
        return OUTSIDE
    return int(labels[r, c])


@compiled
def _beside(labels: Labels, x: int, y: int, way: int) -> tuple[int, int]:
    """Return the labels left and right of the side that leaves corner (x, y): 0 right, 1 down."""
    if way == 0:
        return _at(labels, y - 1, x), _at(labels, y, x)
    if way == 1:
        return _at(labels, y, x), _at(labels, y, x - 1)
    if way == 2:
        return _at(labels, y, x - 1), _at(labels, y - 1, x - 1)
    return _at(labels, y - 1, x - 1), _at(labels, y - 1, x)


@compiled
def _degree(labels: Labels, x: int, y: int) -> int:
    count = 0
    for way in range(4):
        left, right = _beside(labels, x, y, way)
        if left != right:
            count += 1
    return count


@compiled
def _ahead(x: int, y: int, way: int) -> tuple[int, int]:
    if way == 0:
        return x + 1, y
    if way == 1:
        return x, y + 1
    if way == 2:
        return x - 1, y
    return x, y - 1


@compiled
def _walk(
    labels: Labels,
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64], NDArray[np.bool_]]:
    rows, columns = labels.shape
    seen = np.zeros((rows + 1, columns + 1, 2), np.bool_)  # the sides to the right and down
    out = np.zeros((4096, 2), np.int64)
    first = np.zeros(64, np.int64)
    sides = np.zeros((64, 2), np.int64)
    closed = np.zeros(64, np.bool_)
    used, count = 0, 0
    for turn in range(2):  # from meetings, then rings without any
        for y in range(rows + 1):
            for x in range(columns + 1):
                if turn == 0 and _degree(labels, x, y) < 3:
                    continue
                for way in range(4):
                    left, right = _beside(labels, x, y, way)
                    if left == right or _was(seen, x, y, way):
                        continue
                    if used + 2 >= len(out):
                        out = doubled(out, used)
                    out[used, 0], out[used, 1] = x, y
                    used += 1
                    px, py, along = x, y, way
                    while True:
                        _mark(seen, px, py, along)
                        px, py = _ahead(px, py, along)
                        if used + 2 >= len(out):
                            out = doubled(out, used)
                        out[used, 0], out[used, 1] = px, py
                        used += 1
                        if (px == x and py == y) or _degree(labels, px, py) > 2:
                            break
                        back = (along + 2) % 4
                        for following in range(4):
                            if following == back:
                                continue
                            a, b = _beside(labels, px, py, following)
                            if a != b:
                                along = following
                                break
                    if count + 2 >= len(first):
                        size = 2 * len(first)
                        first_, sides_ = np.zeros(size, np.int64), np.zeros((size, 2), np.int64)
                        closed_ = np.zeros(size, np.bool_)
                        first_[: count + 1] = first[: count + 1]
                        sides_[:count], closed_[:count] = sides[:count], closed[:count]
                        first, sides, closed = first_, sides_, closed_
                    sides[count, 0], sides[count, 1] = left, right
                    closed[count] = px == x and py == y and turn == 1
                    count += 1
                    first[count] = used
    return out[:used].copy(), first[: count + 1].copy(), sides[:count].copy(), closed[:count].copy()


@compiled
def _was(seen: NDArray[np.bool_], x: int, y: int, way: int) -> bool:
    if way == 0:
        return bool(seen[y, x, 0])
    if way == 1:
        return bool(seen[y, x, 1])
    if way == 2:
        return bool(seen[y, x - 1, 0])
    return bool(seen[y - 1, x, 1])


@compiled
def _mark(seen: NDArray[np.bool_], x: int, y: int, way: int) -> None:
    if way == 0:
        seen[y, x, 0] = True
    elif way == 1:
        seen[y, x, 1] = True
    elif way == 2:
        seen[y, x - 1, 0] = True
    else:
        seen[y - 1, x, 1] = True
