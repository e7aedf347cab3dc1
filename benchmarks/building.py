"""Build: stencils without islands, panels in sections, offsets against shapely's."""

from __future__ import annotations

import time

import numpy as np
import shapely

from silhueta.core.build.bridges import bridged, islands
from silhueta.core.build.fonts import SHIPPED
from silhueta.core.build.lettering import lettered
from silhueta.core.build.offset import offset
from silhueta.core.build.sections import divided
from silhueta.core.build.shapes import negative, plate_round, rectangle
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import signed_area
from silhueta.core.geometry.path import Loop, circle_loop
from silhueta.core.geometry.region.region import combined, cut_away
from silhueta.core.words import Lettering

Rows = dict[str, float]
_LETTERS = "ABDOPQRabdegopqACEKMSTXhiklmnrstuvwz0468&@"
_TIE = 3.0  # mm


def _area(loops: list[Loop]) -> float:
    return sum(signed_area(loop) for loop in loops)


def stencils(count: int = 200) -> Rows:
    """Cut random words out of a plate, tie their islands, and look what is left."""
    rng = np.random.default_rng(17)
    left = refused = narrow = 0
    shares, seconds = [], []
    for k in range(count):
        text = "".join(rng.choice(list(_LETTERS), int(rng.integers(3, 9))))
        words = lettered(Lettering(text, 60.0, SHIPPED[k % 3].name))
        whole = negative(words, plate_round(words, "rectangle", None, 5.0, 10.0))
        start = time.perf_counter()
        done = bridged(whole, _TIE, 2)
        seconds.append(time.perf_counter() - start)
        left += len(islands(done.loops))
        refused += len(done.left)
        added = cut_away(done.loops, whole, "evenodd")
        shares.append(100 * _area(added) / _area(words))
        # shapely's erosion by almost half a tie must not set anything free
        pieces = shapely.get_parts(_polygon(done.loops).buffer(-0.49 * _TIE))
        held = [p for p in pieces if p.area > 1.0]
        narrow += sum(_loose(p, done.loops) for p in held)
    return {
        "words": count,
        "islands left (wanted 0)": left,
        "islands that no tie fits": refused,
        "ties narrower than asked (wanted 0)": narrow,
        "ties, % of the letters' area, 95 % (wanted 6)": float(np.percentile(shares, 95)),
        "ties, % of the letters' area, all together (wanted 6)": float(np.mean(shares)),
        "seconds a word, median": float(np.median(seconds)),
    }


def _polygon(loops: list[Loop]) -> shapely.Geometry:
    outer = max(loops, key=lambda loop: abs(signed_area(loop)))
    rest = [loop for loop in loops if loop is not outer]
    return shapely.Polygon(flatten(outer, 0.005), [flatten(loop, 0.005) for loop in rest]).buffer(0)


def _loose(piece: shapely.Geometry, loops: list[Loop]) -> bool:
    """Return whether an eroded piece no longer reaches the plate's rim."""
    outer = max(loops, key=lambda loop: abs(signed_area(loop)))
    rim = shapely.LineString(flatten(outer, 0.01)).buffer(_TIE)
    return not piece.intersects(rim)


def panels(count: int = 50) -> Rows:
    """Cut panels with random holes in sections and put them together again."""
    rng = np.random.default_rng(18)
    worst, misfit, close, told, made = 0.0, 0, 0, 0, 0
    for k in range(count):
        wide, high = rng.uniform(900, 1600), rng.uniform(300, 560)
        holes: list[Loop] = []
        centres: list[tuple[float, float, float]] = []
        for _ in range(int(rng.integers(10, 30))):
            r = float(rng.uniform(4, 25))
            x, y = (
                rng.uniform(-wide / 2 + 40, wide / 2 - 40),
                rng.uniform(-high / 2 + 40, high / 2 - 40),
            )
            if all(np.hypot(x - a, y - b) > r + c + 10 for a, b, c in centres):
                centres.append((x, y, r))
                holes.append(circle_loop((x, y), r))
        whole = negative(holes, [rectangle(float(wide), float(high), 10.0)])
        joint = ("straight", "step", "tongue")[k % 3]
        done = divided(whole, (600.0, 600.0), joint)  # type: ignore[arg-type]
        made += len(done.sections)
        misfit += sum(max(s.size) > 600 + 1e-6 for s in done.sections)
        again = combined(
            [s.loops for s in done.sections], lambda i: np.asarray(i.any(axis=0)), "evenodd"
        )
        off = abs(_area(again) - _area(whole)) + abs(
            sum(_area(s.loops) for s in done.sections) - _area(whole)
        )
        worst = max(worst, off)
        near = sum(abs(x - up) < r + 3.0 for up in done.ups for x, _, r in centres)
        close, told = close + near, told + (len(done.doubts) if near else 0)
    return {
        "panels": count,
        "sections": made,
        "sections larger than the bed (wanted 0)": misfit,
        "put together again, off the whole by, mm² at most (wanted 1e-6)": worst,
        "holes nearer to a joint than 3 mm (wanted 0)": close,
        "of these told, as no place was clear": told,
    }


def offsets() -> Rows:
    """Grow outlines of 10,000 segments beside shapely's buffer of 64 segments a quarter.

    One clean, whose edges only need trimming, and one ragged, whose edges vanish by the hundred.
    """
    rows: Rows = {}
    for name, ragged in (("clean", 0.0), ("ragged", 0.05)):
        rows |= {f"{name}: {key}": value for key, value in _offset(ragged).items()}
    return rows


def _offset(ragged: float) -> Rows:
    count = 5_000
    angle = 2 * np.pi * np.arange(count) / count
    rng = np.random.default_rng(3)
    radius = 200 + 6 * np.sin(40 * angle) + rng.normal(0, ragged, count)
    nodes = np.column_stack([radius * np.cos(angle), radius * np.sin(angle)])
    bulges = np.tile([0.02 if ragged else 0.001, 0.0], count // 2)
    outer = Loop(nodes, (bulges != 0).astype(np.uint8), bulges)
    inner = Loop(0.7 * nodes[::-1])
    loops = [outer, inner]
    offset([rectangle(5, 5)], 1.0)
    start = time.perf_counter()
    made = offset(loops, 2.0)
    ours = time.perf_counter() - start
    polygon = shapely.Polygon(flatten(outer, 0.002), [flatten(inner, 0.002)])
    start = time.perf_counter()
    theirs = polygon.buffer(2.0, quad_segs=64)
    named = time.perf_counter() - start
    return {
        "segments": float(sum(len(loop.kinds) for loop in loops)),
        "ours over shapely's buffer (wanted 3)": ours / named,
        "ours, s": ours,
        "shapely's, s": named,
        "area off, of 1": abs(_area(made) - theirs.area) / theirs.area,
    }
