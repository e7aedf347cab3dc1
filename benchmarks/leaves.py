"""What a tool leaves, and how thick it is, against closed forms, rasters and GEOS.

    python -m benchmarks.leaves

*As cut* is held against shapely's dilation and erosion with 256 segments a quarter, webs against
closed forms and against scipy's distance transform of glyphs, painted at 0.004 mm a pixel by
shapely's own point-in-polygon. Speed stands beside a named call of shapely in the same run.
"""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from dataclasses import replace

import numpy as np
import shapely
from scipy.ndimage import distance_transform_edt

from silhueta.core.build.fonts import SHIPPED
from silhueta.core.build.lettering import lettered
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, circle_loop
from silhueta.core.inspect_settings import Limits
from silhueta.core.inspection.as_cut import as_cut
from silhueta.core.inspection.registry import findings
from silhueta.core.job import Job
from silhueta.core.words import Lettering

_PIXEL = 0.004  # mm
_FINE = 1e-5  # mm, to which curves are followed for shapely
_LETTERS = "ABDEGHKMNPRSWabdeghknpqrstuwy&2345689@$%"


def polygon(loops: list[Loop]) -> shapely.Geometry:
    """Return loops as shapely has them, by the rule of fills."""
    whole = shapely.Polygon()
    for loop in loops:
        whole = whole.symmetric_difference(shapely.Polygon(flatten(loop, _FINE)).buffer(0))
    return whole


def glyphs(count: int, high: float) -> list[list[Loop]]:
    """Return the loops of letters of the shipped fonts."""
    found = []
    for font in SHIPPED:
        for letter in _LETTERS:
            found.append(lettered(Lettering(letter, high, font.name)))
    return found[:: max(1, len(found) // count)][:count]


def as_cut_areas(count: int = 100) -> dict[str, float]:
    """Return by how much the area that a tool leaves differs from GEOS's, % of the tool's own."""
    worst, ours, theirs = 0.0, 0.0, 0.0
    for number, loops in enumerate(glyphs(count, 40.0)):
        r = (0.4, 0.8, 1.6, 3.0)[number % 4]
        start = time.perf_counter()
        left = as_cut(loops, 2 * r)
        ours += time.perf_counter() - start
        drawn = polygon(loops)
        start = time.perf_counter()
        closed = drawn.buffer(r, 256).buffer(-r, 256)
        theirs += time.perf_counter() - start
        area = polygon(list(left.outline)).area
        worst = max(worst, abs(area - closed.area) / closed.area)
    return {"largest difference, % of the area": 100 * worst, "time over GEOS's": ours / theirs}


def as_cut_forms() -> dict[str, float]:
    """Return how far off closed forms are: a square hole, a slot, an acute corner; mm and mm²."""
    r = 3.0
    square = [_box(0, 0, 100, 100), _box(40, 40, 60, 60)]
    found = as_cut(square, 2 * r)
    off = [found.area - 4 * r * r * (1 - math.pi / 4), found.far - r * (1 - 1 / math.sqrt(2))]
    wide = 4.0  # a slot from above, 30 deep: closed but for the lens between two arcs at its mouth
    slot = [(0, 0), (100, 0), (100, 40), (52, 40), (52, 10), (48, 10), (48, 40), (0, 40)]
    half = math.asin(wide / 2 / r)
    mouth = r * r * (half - math.sin(half) * math.cos(half))
    found = as_cut([Loop(np.array(slot, float))], 2 * r)
    off += [found.area - (30 * wide - mouth), found.far - wide / 2]
    angle = math.radians(30)  # of a notch with its tip at (50, 0)
    notch = [(0, -20), (100, -20), (100, 40), (50 + 40 * math.tan(angle / 2), 40), (50, 0)]
    notch += [(50 - 40 * math.tan(angle / 2), 40), (0, 40)]
    found = as_cut([Loop(np.array(notch, float))], 2 * r)
    tip = r * r * (1 / math.tan(angle / 2) - (math.pi - angle) / 2)
    return {"largest, mm and mm²": float(max(np.abs([*off, found.area - tip])))}


def _box(left: float, bottom: float, right: float, top: float) -> Loop:
    return Loop(np.array([(left, bottom), (right, bottom), (right, top), (left, top)], float))


def _job(loops: list[Loop]) -> Job:
    return Job(outline=Outline(tuple(Contour(loop) for loop in loops)))


def web_forms(count: int = 200, seed: int = 5) -> dict[str, float]:
    """Return how far webs are off closed forms, mm: two circles, a taper, a hole beside an edge."""
    rng = np.random.default_rng(seed)
    worst, missed = 0.0, 0
    for _ in range(count):
        turn, at = rng.uniform(0, math.pi), rng.uniform(-20, 20, 2)
        r, s = rng.uniform(3, 12, 2)
        web = float(rng.uniform(0.2, 1.9))
        c = np.array([math.cos(turn), math.sin(turn)])
        plate = _box(-90, -90, 90, 90)
        forms = {
            "circles": [plate, circle_loop(at, r), circle_loop(at + c * (r + s + web), s)],
            "edge": [plate, circle_loop((rng.uniform(-60, 60), 90 - web - r), r)],
            # of a wedge cut off at its tip the blunt end is the least
            "taper": [
                _box(-90, -90, 90, 0),
                Loop(np.array([(-5.0, 20.0), (5.0, 20.0), (web / 2, 60.0), (-web / 2, 60.0)])),
            ],
        }
        for loops in forms.values():
            told = [f for f in findings(_job(loops), Limits(web=2.0)) if f.code == "thin-web"]
            least = min((f.measured for f in told if f.measured is not None), default=None)
            missed += least is None
            worst = max(worst, abs((least or web) - web))
    return {"largest, mm": worst, "not found": float(missed)}


def web_glyphs(count: int = 100) -> dict[str, float]:
    """Return how far the webs of glyphs are off the distance transform of a fine raster, mm."""
    off: list[float] = []
    for loops in glyphs(count, 30.0):
        told = [f for f in findings(_job(loops), Limits(web=5.0)) if f.code == "thin-web"]
        drawn = polygon(loops)
        shapely.prepare(drawn)
        for one in told[:3]:
            assert one.across is not None
            assert one.measured is not None
            off.append(abs(_across(drawn, one.place, one.across) - one.measured))
    return {"webs": float(len(off)), "largest, mm": max(off), "median, mm": float(np.median(off))}


def _across(
    drawn: shapely.Geometry, at: tuple[float, float], across: tuple[tuple[float, float], ...]
) -> float:
    """Return how wide a raster of a shape is at a place: the most along the line across it.

    Where that line is the flat end of a tongue, the raster is read half its width further in.
    """
    p, q = np.array(across[0]), np.array(across[1])
    wide = float(np.hypot(*(q - p)))
    half = 1.1 * wide + 0.05
    steps = np.arange(-half, half, _PIXEL)
    x, y = np.meshgrid(at[0] + steps, at[1] + steps)
    inside = shapely.contains_xy(drawn, x.ravel(), y.ravel()).reshape(x.shape)
    # the edge runs half a pixel before the first centre outside
    room = (distance_transform_edt(inside) - 0.5) * _PIXEL

    def most(points: np.ndarray) -> float:
        rows = np.round((points[:, 1] - at[1] + half) / _PIXEL).astype(int)
        columns = np.round((points[:, 0] - at[0] + half) / _PIXEL).astype(int)
        last = len(steps) - 1
        return 2 * float(room[rows.clip(0, last), columns.clip(0, last)].max())

    along = np.linspace(0.3, 0.7, 400)[:, None] * (q - p) + p
    found = most(along)
    if found > wide / 2:
        return found
    inward = np.array([-(q - p)[1], (q - p)[0]]) / 2
    return max(most(along + inward), most(along - inward))


def speed(segments: int = 10_000) -> dict[str, float]:
    """Return the seconds of all findings on so many segments, and after one node moved."""
    rng = np.random.default_rng(1)
    half, holes = segments // 2, 60

    def ragged(count: int, radius: float, x: float, y: float, noise: float) -> Loop:
        t = np.linspace(0, 2 * np.pi, count, endpoint=False)
        r = radius * (1 + 0.15 * np.sin(7 * t)) + rng.normal(0, noise, count)
        return Loop(np.column_stack([x + r * np.cos(t), y + r * np.sin(t)]))

    loops = [ragged(half, 300, 350, 350, 0.02)]
    for k in range(holes):
        x, y = 200 + 43 * (k % 8), 200 + 43 * (k // 8)
        loops.append(ragged(half // holes, 9, x, y, 0.005))
    limits = Limits("router", 12.0, 3.175, (800.0, 800.0), 10.0)
    jobs = [_job(loops)]
    findings(jobs[0], limits)  # what is compiled and imported at a first call
    moved = loops[0].nodes.copy()
    moved[100] += 0.3
    contours = jobs[0].outline.contours
    first = replace(contours[0], path=Loop(moved))
    after = replace(jobs[0], outline=Outline((first, *contours[1:])))
    fresh = _job([Loop(loop.nodes + 1e-3) for loop in loops])
    polygons = [shapely.Polygon(loop.nodes) for loop in loops]
    return {
        "all, s": _least(lambda: findings(fresh, limits)),
        "after a node moved, s": _least(lambda: findings(after, limits)),
        "shapely.is_valid and minimum_clearance of the same, s": _least(
            lambda: [(shapely.is_valid(p), shapely.minimum_clearance(p)) for p in polygons]
        ),
    }


def _least(run: Callable[[], object], times: int = 3) -> float:
    found = []
    for _ in range(times):
        start = time.perf_counter()
        run()
        found.append(time.perf_counter() - start)
    return min(found)


if __name__ == "__main__":
    for title, measured in (
        ("as cut, glyphs", as_cut_areas()),
        ("as cut, closed forms", as_cut_forms()),
        ("webs, closed forms", web_forms()),
        ("webs, glyphs", web_glyphs()),
        ("speed", speed()),
    ):
        print(title, {name: float(f"{value:.4g}") for name, value in measured.items()})
