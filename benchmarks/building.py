"""Build: stencils without islands, panels in sections, offsets against shapely's.

What the program makes is judged by formulas and by GEOS. Stencils come through the command line
and are read by ezdxf; sections are asked of the core, which tells where each lies in the panel.
"""

from __future__ import annotations

import itertools
import tempfile
import time
from dataclasses import replace
from pathlib import Path

import ezdxf
import numpy as np
import shapely

from benchmarks.called import called
from silhueta.core.build.fonts import SHIPPED
from silhueta.core.build.lettering import lettered
from silhueta.core.build.offset import offset
from silhueta.core.build.sections import divided
from silhueta.core.build.shapes import negative, plate_round, rectangle
from silhueta.core.geometry.path import ARC, CUBIC, Loop, circle_loop
from silhueta.core.words import Lettering

Rows = dict[str, float]
_LETTERS = "ABDOPQRabdegopqACEKMSTXhiklmnrstuvwz0468&@"
_TIE = 3.0  # mm


def _sampled(loop: Loop, steps: int = 24) -> np.ndarray:
    """Return a loop as points, (N, 2): `steps` on each arc and cubic, by textbook formulas."""
    points = []
    following = np.roll(loop.nodes, -1, axis=0)
    t = np.arange(steps)[:, None] / steps
    for a, b, kind, bulge, (c, d) in zip(
        loop.nodes, following, loop.kinds, loop.bulges, loop.controls, strict=True
    ):
        if kind == CUBIC:
            u = 1 - t
            points.append(u**3 * a + 3 * u * u * t * c + 3 * u * t * t * d + t**3 * b)
        elif kind == ARC:
            middle, half = (a + b) / 2, (b - a) / 2
            aside = (1 - bulge * bulge) / (2 * bulge)
            centre = middle + aside * np.array([-half[1], half[0]])
            turn = 4 * np.arctan(bulge) * t[:, 0]
            x, y = a - centre
            cos, sin = np.cos(turn), np.sin(turn)
            points.append(centre + np.column_stack([cos * x - sin * y, sin * x + cos * y]))
        else:
            points.append(a[None])
    return np.vstack(points)


def _region(loops: list[Loop]) -> shapely.Geometry:
    """Return what loops enclose by the even-odd rule, as GEOS finds it."""
    whole: shapely.Geometry = shapely.Polygon()
    for loop in loops:
        whole = whole ^ shapely.Polygon(_sampled(loop)).buffer(0)
    return whole


def _area(loop: Loop) -> float:
    """Return the signed area of a loop of lines and arcs: its chords, and a segment an arc."""
    x, y = loop.nodes.T
    nx, ny = np.roll(loop.nodes, -1, axis=0).T
    turn = 4 * np.arctan(loop.bulges)
    arcs = loop.kinds == ARC
    chord = np.hypot(nx - x, ny - y)[arcs]
    radius = chord / 2 / np.abs(np.sin(turn[arcs] / 2))
    segments = radius**2 / 2 * (turn[arcs] - np.sin(turn[arcs]))
    return float(0.5 * (x * ny - nx * y).sum() + segments.sum())


def _written(folder: Path, *told: str) -> tuple[list[Loop], str] | None:
    """Return the loops that `silhueta build` writes, and what it says; None: it refuses."""
    code, said = called("build", "-o", str(folder / "a.dxf"), *told)
    if code:
        return None
    loops = []
    for entity in ezdxf.readfile(folder / "a.dxf").modelspace():
        if entity.dxftype() == "CIRCLE":
            loops.append(circle_loop(entity.dxf.center.vec2, entity.dxf.radius))
        else:
            rows = np.array(entity.get_points("xyb"))
            loops.append(Loop(rows[:, :2], (rows[:, 2] != 0).astype(np.uint8), rows[:, 2]))
    return loops, said


def stencils(count: int = 200) -> Rows:
    """Cut random words out of a plate, tie their islands, and look what is left."""
    rng = np.random.default_rng(17)
    left = refused = narrow = 0
    shares, seconds = [], []
    with tempfile.TemporaryDirectory() as room:
        for k in range(count):
            text = "".join(rng.choice(list(_LETTERS), int(rng.integers(3, 9))))
            words = lettered(Lettering(text, 60.0, SHIPPED[k % 3].name))
            plate = plate_round(words, "rectangle", None, 5.0, 10.0)
            low, bottom, right, top = shapely.MultiPoint(_sampled(plate[0])).bounds
            size = f"{right - low:.6f}x{top - bottom:.6f}mm"
            told = ["--text", text, "--cap-height", "60mm", "--font", SHIPPED[k % 3].name]
            told += ["--plate", size, "--radius", "5mm", "--negative"]
            whole = _written(Path(room), *told)
            start = time.perf_counter()
            done = _written(Path(room), *told, "--bridge", f"{_TIE}mm")
            seconds.append(time.perf_counter() - start)
            if whole is None or done is None or "no tie" in done[1]:
                refused += 1
                continue
            tied = _region(done[0])
            left += len(shapely.get_parts(tied)) - 1
            shares.append(100 * (tied - _region(whole[0])).area / _region(words).area)
            # shapely's erosion by almost half a tie must not set anything free
            pieces = shapely.get_parts(tied.buffer(-0.49 * _TIE))
            rim = shapely.box(*tied.bounds).boundary.buffer(_TIE)
            narrow += sum(p.area > 1.0 and not p.intersects(rim) for p in pieces)
    return {
        "words": count,
        "islands left (wanted 0)": left,
        "refused, or islands that no tie fits": refused,
        "ties narrower than asked (wanted 0)": narrow,
        "ties, % of the letters' area, 95 % (wanted 6)": float(np.percentile(shares, 95)),
        "ties, % of the letters' area, all together (wanted 6)": float(np.mean(shares)),
        "seconds a word, median": float(np.median(seconds)),
    }


def panels(count: int = 50) -> Rows:
    """Cut panels with random holes in sections and put them together again."""
    rng = np.random.default_rng(18)
    worst, lap, misfit, close, told, made = 0.0, 0.0, 0, 0, 0, 0
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
        plate = wide * high - (4 - np.pi) * 10.0**2
        meant = plate - np.pi * sum(r * r for _, _, r in centres)
        off = abs(sum(_area(loop) for s in done.sections for loop in s.loops) - meant)
        regions = [_region(s.loops) for s in done.sections]
        boxes = [np.reshape(region.bounds, (2, 2)) for region in regions]
        misfit += sum(np.ptp(box, axis=0).max() > 600 + 1e-6 for box in boxes)
        lap += sum((a & b).area for a, b in itertools.pairwise(regions))
        worst = max(worst, off)
        near = sum(abs(x - up) < r + 3.0 for up in done.ups for x, _, r in centres)
        close, told = close + near, told + (len(done.doubts) if near else 0)
    return {
        "panels": count,
        "sections": made,
        "sections larger than the bed (wanted 0)": misfit,
        "all together, off the panel's own area by, mm² at most (wanted 1e-6)": worst,
        "neighbours that lap over each other, mm² in all": lap,
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
    polygon = shapely.Polygon(_sampled(outer, 8), [_sampled(inner)])
    ours = named = np.inf
    for _ in range(5):  # the shortest of each: these machines are noisy
        fresh = [replace(loop) for loop in loops]  # of which nothing is remembered
        start = time.perf_counter()
        made = offset(fresh, 2.0)
        ours = min(ours, time.perf_counter() - start)
        start = time.perf_counter()
        theirs = polygon.buffer(2.0, quad_segs=64)
        named = min(named, time.perf_counter() - start)
    return {
        "segments": float(sum(len(loop.kinds) for loop in loops)),
        "ours over shapely's buffer (wanted 3)": ours / named,
        "ours, s": ours,
        "shapely's, s": named,
        "area off, of 1": abs(sum(map(_area, made)) - theirs.area) / theirs.area,
    }
