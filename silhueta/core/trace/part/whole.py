"""Which of what is unlike the ground is the part, and which is its shadow.

Words used here
    thing        pixels unlike the ground that hang together: a part with its shadow, or anything
    explanation  one way to split a thing into part and shadow, and what it fails to explain
    throw        the way by which a lamp moves a part's outline to make its shadow

On flat ground a shadow is the part's own outline, moved one way by one length, less the part. So
each split that colours propose is held against the shadow it would throw: what lies in that shadow
and looks like shade is explained, what lies elsewhere is not, and a shadow that should be there and
is bright speaks against it.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.trace.part.looks import Light, Looks, Mask, Seen
from silhueta.core.work import Work

_THINGS = 4  # largest ones that are looked at
_LEAST_MM2 = 25.0
_LEAST_PX = 60
_KINDS = 4  # colours a thing is split into
_LEVELS = (-0.5, -0.8, -1.2, -1.6, -2.0, -2.4)  # of logarithmic light
_SMALL = 220  # px of the long side on which a throw is sought
_WAYS = 32
_UNTOLD = 12.0  # mm of shadow that are sought where the thickness is not known
_STEEP = 2.2  # times the thickness: the longest shadow that is sought
_MUCH = 0.3  # of a thing that looks like shade, so that looks do not tell
_AS_GOOD, _ANOTHER = 0.015, 0.06  # cost, and share of the part, of a rival explanation
_CUT_OFF = 0.2  # cost of a part that reaches the picture's border
_SAME_LOOK = 0.35  # difference of look under which two places are of one thing
_WORTH = 0.15  # of a bit of difference between part and shadow
_BLACK = 0.4  # of a part that looks like deep shade: it is its own look
_STEP, _OFF_STEP = 0.15, 0.25  # change of look a px that is a clear edge; cost of having none


class Explanation(NamedTuple):
    """A part and its shadow, as masks of the small picture.

    cost : float
        What is left unexplained, as a share of the thing; 0 is best.
    touches : bool
        Whether the part reaches the border of the picture.
    thing : (H, W) of bool
        Part, shadow and whatever else hangs together with them.
    unclear : bool
        Another explanation, with another part, is as good: face and shadow look alike.
    """

    part: Mask
    shadow: Mask
    cost: float
    touches: bool
    thing: Mask
    unclear: bool = False


def things(
    seen: Seen, looks: Looks, barred: Mask | None = None, work: Work | None = None
) -> list[Explanation]:
    """Return the best explanation of each thing that may be the part, largest part first.

    Parameters
    ----------
    seen : Seen
    looks : Looks
    barred : (H, W) of bool, optional
        What lies there belongs to the datum: a thing over it is not the part.
    work : Work, optional

    """
    import cv2

    work = work or Work()
    three = np.ones((3, 3), np.uint8)
    # grid lines, scratches and seams are thin; a part is not
    solid = cv2.morphologyEx(looks.unlike.astype(np.uint8), cv2.MORPH_OPEN, three) > 0
    if solid.sum() < _LEAST_PX:
        return []
    kinds, many = _kinds(looks.look, solid)
    _, labels = cv2.connectedComponents(cv2.dilate(solid.astype(np.uint8), three))
    sizes = np.bincount(labels[solid])
    order = [int(k) for k in np.argsort(-sizes) if k > 0][:_THINGS]
    least = max(_LEAST_PX, _LEAST_MM2 / seen.mm**2)
    rim = cv2.dilate((~seen.domain).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    rim[:3], rim[-3:], rim[:, :3], rim[:, -3:] = True, True, True, True
    strip = seen.domain & ~seen.on & ~seen.off
    found = []
    for number, label in enumerate(order):
        work.step(number / len(order))
        thing = solid & (labels == label)
        if thing.sum() < least or (barred is not None and (thing & barred).any()):
            continue
        best = _explained(seen, looks, thing, kinds, many, rim, rim | strip, least)
        if best is not None:
            found.append(best)
    return sorted(found, key=lambda e: -int(e.part.sum()))


def _kinds(look: Light, solid: Mask) -> tuple[NDArray[np.int32], int]:
    """Return which of a few kinds of look each pixel is nearest to, by k-means over `solid`."""
    import cv2

    core = cv2.erode(solid.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0
    if core.sum() < _LEAST_PX:
        core = solid
    smooth = cv2.medianBlur(np.ascontiguousarray(look[..., 0]), 3)
    space = np.dstack([0.6 * smooth, look[..., 1:]]).astype(np.float32)
    values = space[core]
    values = np.ascontiguousarray(values[:: len(values) // 30_000 + 1])
    many = min(_KINDS, len(values))
    cv2.setRNGSeed(1)  # the same picture, the same part
    first = np.zeros((len(values), 1), np.int32)
    stop = (cv2.TERM_CRITERIA_EPS + cv2.TERM_CRITERIA_MAX_ITER, 30, 1e-3)
    centres = cv2.kmeans(values, many, first, stop, 3, cv2.KMEANS_PP_CENTERS)[2]
    kinds = np.full(look.shape[:2], -1, np.int32)
    away = ((space[solid][:, None] - centres[None]) ** 2).sum(-1)
    kinds[solid] = away.argmin(-1)
    return kinds, many


def _splits(
    look: Light,
    thing: Mask,
    shade: Mask,
    deep: Mask,
    kinds: NDArray[np.int32],
    many: int,
) -> Iterator[Mask]:
    """Yield masks that may be the part, chosen by their look."""
    import cv2

    yield thing & ~shade
    yield thing & ~shade & ~deep
    here = [k for k in range(many) if (kinds[thing] == k).sum() > 0.01 * thing.sum()]
    for count in range(1, len(here)):
        for some in combinations(here, count):
            yield thing & np.isin(kinds, some)
    smooth = cv2.medianBlur(np.ascontiguousarray(look[..., 0]), 3)
    for level in _LEVELS:
        yield thing & (smooth < level)
        yield thing & (smooth > level)


class _Tried(NamedTuple):
    """One split of a thing, in its own box."""

    part: Mask
    shadow: Mask
    cost: float
    touches: bool


class _Judge:
    """Weighs splits of one thing, in a box round it."""

    def __init__(self, seen: Seen, looks: Looks, thing: Mask, rim: Mask, brink: Mask) -> None:
        self.seen, self.looks, self.thing, self.rim, self.brink = seen, looks, thing, rim, brink
        self.bins = _bins(looks.look, seen.grain)
        self.steps = _steps(seen.steep)
        self.tried: list[_Tried] = []

    def tell(self, split: Mask, least: float, free: bool = False) -> _Tried | None:
        """Return a split's explanation; None when it is none, or was tried before.

        `free`: its looks were not what chose it.
        """
        import cv2

        three = np.ones((3, 3), np.uint8)
        seen, thing, shade, deep = self.seen, self.thing, self.looks.shade, self.looks.deep
        closed = cv2.morphologyEx(split.astype(np.uint8), cv2.MORPH_CLOSE, three) * thing
        opened = cv2.morphologyEx(closed.astype(np.uint8), cv2.MORPH_OPEN, three)
        count, labels, stats, _ = cv2.connectedComponentsWithStats(opened)
        if count < 2:
            return None
        part = labels == 1 + int(stats[1:, cv2.CC_STAT_AREA].argmax())
        size = int(part.sum())
        if size < least or any((part ^ t.part).sum() < 0.002 * size for t in self.tried):
            return None
        # a part that is black itself is no shadow
        dim = shade | deep if (deep & part).sum() < _BLACK * size else shade
        shadow = _thrown(seen, part, thing, dim)
        touches = bool((part & self.rim).any())
        cost = _cost(seen, part, shadow, thing, dim, deep, self.brink)
        cost += _CUT_OFF if touches else 0.0
        if (shade & part).sum() > _MUCH * size:  # then looks tell less, and edges must
            cost += _OFF_STEP * (1.0 - float(self.steps[_border(part)].mean()))
        if free:
            cost -= _WORTH * _told_apart(self.bins[part], self.bins[thing & ~part])
        made = _Tried(part, shadow & ~part, cost, touches)
        self.tried.append(made)
        return made


def _explained(
    seen: Seen,
    looks: Looks,
    whole: Mask,
    kinds: NDArray[np.int32],
    many: int,
    rim: Mask,
    brink: Mask,
    least: float,
) -> Explanation | None:
    """Return the best explanation of one thing."""
    rows, columns = np.nonzero(whole)
    pad = int(3 * max(seen.thickness, 2.0) / seen.mm) + 6
    top, left = max(int(rows.min()) - pad, 0), max(int(columns.min()) - pad, 0)
    box = (slice(top, int(rows.max()) + pad), slice(left, int(columns.max()) + pad))
    thing, shade, look = whole[box], looks.shade[box], looks.look[box]
    near = seen.window(box)
    here = Looks(look, looks.unlike[box], shade, looks.deep[box])
    judge = _Judge(near, here, thing, rim[box], brink[box])
    for split in _splits(look, thing, shade, here.deep, kinds[box], many):
        judge.tell(split, least)
    judge.tell(thing, least, free=True)
    if not judge.tried:
        return None
    best = min(judge.tried, key=lambda t: t.cost)
    made = Explanation(
        _placed(best.part, box, whole.shape),
        _placed(best.shadow, box, whole.shape),
        best.cost,
        best.touches,
        whole,
    )
    rest = thing & ~best.part & ~best.shadow
    if rest.sum() > 0.5 * best.part.sum() and (rest & rim[box]).any():
        apart = np.median(look[rest], axis=0) - np.median(look[best.part], axis=0)
        if np.abs(apart).max() < _SAME_LOOK:  # the part goes on over the picture's border
            return made._replace(touches=True)
    if (shade & best.part).sum() < _MUCH * best.part.sum():
        return made
    size = float(best.part.sum())
    unclear = any(
        other.cost < best.cost + _AS_GOOD and _apart(other.part, best.part) > _ANOTHER * size
        for other in judge.tried
    )
    return made._replace(unclear=unclear)


def _steps(steep: Light) -> Light:
    """Return how clear an edge passes within a pixel of each place, 0 to 1."""
    import cv2

    near = cv2.dilate(steep, np.ones((3, 3), np.uint8))
    return np.asarray(np.minimum(near / _STEP, 1.0), np.float32)


def _border(part: Mask) -> Mask:
    import cv2

    return part & ~(cv2.erode(part.astype(np.uint8), np.ones((3, 3), np.uint8)) > 0)


def _apart(one: Mask, other: Mask) -> int:
    """Return by how many px two parts differ, where that is more than a rim a pixel wide."""
    import cv2

    apart = (one ^ other).astype(np.uint8)
    return int(cv2.morphologyEx(apart, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)).sum())


def _placed(mask: Mask, box: tuple[slice, slice], shape: tuple[int, ...]) -> Mask:
    whole = np.zeros(shape, bool)
    whole[box] = mask
    return whole


def _cost(
    seen: Seen, part: Mask, shadow: Mask, thing: Mask, shade: Mask, deep: Mask, brink: Mask
) -> float:
    """Return what an explanation leaves open, as a share of the thing."""
    import cv2

    rest = thing & ~part
    away = cv2.distanceTransform((~part).astype(np.uint8), cv2.DIST_L2, 3)
    near = away <= 0.7 * seen.thickness / seen.mm + 1.6  # walls, and the dark at the foot
    _, labels = cv2.connectedComponents((rest & shade).astype(np.uint8))
    cast = np.unique(labels[brink & rest & shade])
    foreign = np.isin(labels, cast[cast > 0])  # another thing's shadow comes in over the border
    dim = np.select([shadow, foreign, near], [0.1, 0.12, 0.2], 0.5)
    plain = np.select([shadow & deep, near & deep, shadow, near], [0.15, 0.25, 0.8, 0.5], 1.0)
    left = np.where(shade, dim, plain)[rest].sum() + 0.3 * (part & shade).sum()
    bright = shadow & ~thing & (away > 1.5)
    return float((left + 0.5 * bright.sum()) / thing.sum())


def _bins(look: Light, grain: Light) -> NDArray[np.int64]:
    """Return in which of 16 x 4 x 4 x 4 kinds of light, colour and grain each pixel is."""
    level = np.clip((look[..., 0] + 3.2) * 4.5, 0, 15).astype(np.int64)
    red, blue = (np.clip(look[..., k] * 3 + 2, 0, 3).astype(np.int64) for k in (1, 2))
    rough = np.clip(
        2 * np.log2(np.maximum(grain, 1e-6) / max(float(np.median(grain)), 1e-6)) + 1, 0, 3
    )
    return np.asarray(((level * 4 + red) * 4 + blue) * 4 + rough.astype(np.int64))


def _told_apart(part: NDArray[np.int64], rest: NDArray[np.int64]) -> float:
    """Return by how many bits a pixel the two differ in look: their mutual information with it.

    C. E. Shannon, "A Mathematical Theory of Communication", Bell System Technical Journal 27,
    1948, 379-423, section 12.
    """
    if len(part) == 0 or len(rest) == 0:
        return 0.0
    counts = np.array([np.bincount(v, minlength=1024) for v in (part, rest)], np.float64)
    joint = counts / counts.sum()
    alone = joint.sum(0, keepdims=True) * joint.sum(1, keepdims=True)
    seen = joint > 0
    return float((joint[seen] * np.log2(joint[seen] / alone[seen])).sum())


def _thrown(seen: Seen, part: Mask, thing: Mask, shade: Mask) -> Mask:
    """Return the part with the shadow, of all throws, that explains most."""
    import cv2

    factor = min(1.0, _SMALL / max(part.shape))

    def small(values: NDArray[np.float32]) -> NDArray[np.float32]:
        return np.asarray(
            cv2.resize(values, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA)
        )

    gains = np.select([part, thing & shade, thing], [0.0, 0.45, -0.1], -0.5).astype(np.float32)
    gain = small(gains)
    solid = (small(part.astype(np.float32)) > 0.5).astype(np.uint8)
    gain[solid > 0] = 0.0
    longest = _STEEP * seen.thickness if seen.thickness > 0 else _UNTOLD
    steps = int(min(60.0, longest / seen.mm * factor + 2))
    height, width = solid.shape
    best, shadow = 0.0, solid
    for way in range(_WAYS):
        angle = 2 * np.pi * way / _WAYS
        swept, last = solid.copy(), (0, 0)
        for length in range(1, steps + 1):
            dx, dy = round(length * float(np.cos(angle))), round(length * float(np.sin(angle)))
            if (dx, dy) == last:
                continue
            last = (dx, dy)
            from_ = (
                slice(max(-dy, 0), height - max(dy, 0)),
                slice(max(-dx, 0), width - max(dx, 0)),
            )
            to = (slice(max(dy, 0), height - max(-dy, 0)), slice(max(dx, 0), width - max(-dx, 0)))
            swept[to] |= solid[from_]
            value = float(gain[swept > 0].sum())
            if value > best:
                best, shadow = value, swept.copy()
    size = (part.shape[1], part.shape[0])
    whole = cv2.resize(shadow, size, interpolation=cv2.INTER_NEAREST) > 0
    return np.asarray(whole | part)
