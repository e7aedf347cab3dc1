"""How often Inspect finds what would go wrong, and how often it finds what is not there.

Parts are drawn by this file alone, as lists of vertices and circles, and written by ezdxf. Faults
are planted in them by what they are at the machine: a hole moved to an edge, a vertex too many,
a strip left between two cuts. The command line looks at the part before and after, mends what it
found, and looks again; shapely holds what was not planted against what is left of it.

    python -m benchmarks.faults [COUNT]

Words used here
    planted    a fault that was put in, with where it is
    found      told with its code within 0.5 mm of there
    false      told of a part in which nothing was planted
    beside     told of a part with plants, but none of them, nor what follows from one
"""

from __future__ import annotations

import json
import math
import sys
import tempfile
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import ezdxf
import numpy as np
import shapely

from benchmarks.called import called

NEAR = 0.5  # mm
_TOOL = {"plasma": 1.2, "laser": 0.2, "router": 6.0}
_WEB = {"plasma": 2.4, "laser": 0.6, "router": 3.0}  # as the guide says of these tools
_THICK = 3.0
_ROOM = 9.0  # mm round every hole of a sound part

# what a hole with tips has besides: slits towards its tips, webs between them, corners
_SHARP = ("thin-web", "narrow-slot", "tight-corner", "small-hole", "slug")

Point = tuple[float, float]
Vertex = tuple[float, float, float]  # x, y, bulge


@dataclass
class Part:
    """A part: its outer vertices, holes as (x, y, radius), and whatever else was put in."""

    process: str
    outer: list[Vertex]
    holes: list[tuple[float, float, float]]
    more: list[tuple[list[Vertex], bool]] = field(default_factory=list)  # vertices, closed
    circles: list[tuple[float, float, float]] = field(default_factory=list)
    texts: list[Point] = field(default_factory=list)

    @property
    def sides(self) -> tuple[float, float, float, float]:
        """Left, bottom, right, top, of the outer vertices."""
        places = np.array([v[:2] for v in self.outer])
        return (*places.min(0).tolist(), *places.max(0).tolist())  # type: ignore[return-value]


@dataclass
class Planted:
    """A fault: its code, where it may be told, and codes that follow from it."""

    code: str
    where: shapely.Geometry
    follows: tuple[str, ...] = ()


def sound(rng: np.random.Generator) -> Part:
    """Return a plate with rounded corners and round holes that keep off each other."""
    process = str(rng.choice(list(_TOOL)))
    wide, high = rng.uniform(110, 260), rng.uniform(90, 180)
    r = rng.uniform(8, 14)
    b = math.tan(math.pi / 8)
    outer: list[Vertex] = [
        (r, 0, 0), (wide - r, 0, b), (wide, r, 0), (wide, high - r, b),
        (wide - r, high, 0), (r, high, b), (0, high - r, 0), (0, r, b),
    ]  # fmt: skip
    holes: list[tuple[float, float, float]] = []
    for _ in range(60):
        radius = float(rng.uniform(4, 16))
        x = float(rng.uniform(radius + _ROOM, wide - radius - _ROOM))
        y = float(rng.uniform(radius + _ROOM, high - radius - _ROOM))
        if all(math.hypot(x - h[0], y - h[1]) > radius + h[2] + _ROOM for h in holes):
            holes.append((x, y, radius))
        if len(holes) == 6:
            break
    return Part(process, outer, holes)


# what is planted: each takes the part and the generator, changes the part, and says where


def _gap(part: Part, rng: np.random.Generator) -> Planted:
    """Leave a hole open: an arc that ends before it closes."""
    x, y, r = part.holes.pop()
    a = rng.uniform(0, 2 * math.pi)
    miss = 0.6 / r
    ends = [(x + r * math.cos(t), y + r * math.sin(t)) for t in (a, a + math.pi, a - miss)]
    bulges = (1.0, math.tan((math.pi - miss) / 4), 0.0)
    part.more.append(([(*e, b) for e, b in zip(ends, bulges, strict=True)], False))
    return Planted("open-path", shapely.MultiPoint([ends[0], ends[2]]))


def _bow(part: Part, _: np.random.Generator) -> Planted:
    """Cross a hole over itself."""
    x, y, r = part.holes.pop()
    s = 0.6 * r
    line = [(x - s, y - s, 0.0), (x + s, y + s, 0.0), (x + s, y - s, 0.0), (x - s, y + s, 0.0)]
    part.more.append((line, True))
    return Planted("self-crossing", shapely.Point(x, y), (*_SHARP, "hairpin"))


def _overlap(part: Part, _: np.random.Generator) -> Planted:
    """Put a round hole over another one."""
    x, y, r = part.holes[-1]
    part.holes.pop()
    part.circles += [(x - 0.3 * r, y, 0.6 * r), (x + 0.4 * r, y, 0.5 * r)]
    one = shapely.Point(x - 0.3 * r, y).buffer(0.6 * r, 256).boundary
    two = shapely.Point(x + 0.4 * r, y).buffer(0.5 * r, 256).boundary
    return Planted("loops-cross", one.intersection(two), _SHARP)


def _twice(part: Part, rng: np.random.Generator) -> Planted:
    """Draw a hole twice, the second time a little beside."""
    x, y, r = part.holes.pop(int(rng.integers(len(part.holes))))
    off = float(rng.choice([0.0, 0.02, 0.04]))
    part.circles += [(x, y, r), (x + off, y, r)]
    return Planted(
        "doubled", shapely.Point(x, y).buffer(r, 256).boundary, ("island", "loops-cross")
    )


def _tiny(part: Part, rng: np.random.Generator) -> Planted:
    """Put two vertices 0.01 mm apart into a side."""
    x = rng.uniform(0.3, 0.7) * (part.outer[1][0] - part.outer[0][0]) + part.outer[0][0]
    part.outer[1:1] = [(x, 0.0, 0.0), (x + 0.01, 0.0, 0.0)]
    return Planted("short-segment", shapely.Point(x, 0))


def _crowd(part: Part, rng: np.random.Generator) -> Planted:
    """Put nine vertices within 0.25 mm into a side."""
    left, _, right, top = part.sides
    x = float(rng.uniform(left + 0.3 * (right - left), left + 0.7 * (right - left)))
    k = next(i for i, v in enumerate(part.outer) if v[1] == top and part.outer[i - 1][2] > 0)
    part.outer[k + 1 : k + 1] = [(x - 0.03 * i, top, 0.0) for i in range(9)]
    return Planted("node-cluster", shapely.LineString([(x, top), (x - 0.24, top)]))


def _pin(part: Part, rng: np.random.Generator) -> Planted:
    """Let the outline run out and straight back."""
    _, bottom, right, top = part.sides
    k = next(i for i, v in enumerate(part.outer) if v[0] == right and part.outer[i - 1][2] > 0)
    y = float(rng.uniform(bottom + 0.35 * (top - bottom), bottom + 0.65 * (top - bottom)))
    part.outer[k + 1 : k + 1] = [
        (right, y, 0.0),
        (right + 2.0, y + 0.01, 0.0),
        (right, y + 0.02, 0.0),
    ]
    return Planted(
        "hairpin", shapely.Point(right + 2, y), (*_SHARP, "short-segment", "node-cluster")
    )


def _loose(part: Part, _: np.random.Generator) -> Planted:
    """Leave a piece in a hole."""
    k = max(range(len(part.holes)), key=lambda i: part.holes[i][2])
    x, y, r = part.holes.pop(k)
    inner = 0.45 * r
    part.circles += [(x, y, r), (x, y, inner)]
    return Planted(
        "island", shapely.Point(x, y).buffer(inner), ("small-piece", "narrow-slot", "small-hole")
    )


def _drill(part: Part, rng: np.random.Generator) -> Planted:
    """Make a hole smaller than the process cuts."""
    x, y, _ = part.holes.pop()
    least = {"plasma": _THICK, "laser": _THICK / 2, "router": _TOOL["router"]}[part.process]
    part.circles.append((x, y, float(rng.uniform(0.25, 0.48)) * least))
    return Planted("small-hole", shapely.Point(x, y), ("slug", "pierce-near"))


def _crumb(part: Part, rng: np.random.Generator) -> Planted:
    """Put a piece beside the part that nothing can hold."""
    left, _, _, top = part.sides
    least = {"plasma": 12.0, "laser": 3.0, "router": 10.0}[part.process]
    r = float(rng.uniform(0.3, 0.45)) * least
    part.circles.append((left + r, top + 20 + r, r))
    return Planted("small-piece", shapely.Point(left + r, top + 20 + r))


def _web(part: Part, rng: np.random.Generator) -> Planted:
    """Move a hole towards an edge until the strip between is too thin."""
    x, _, r = part.holes.pop()
    _, _, right, top = part.sides
    others = [h for h in part.holes if abs(h[0] - x) < h[2] + r + _ROOM]
    if any(h[1] + h[2] > top - 2 * r - _ROOM for h in others):
        part.holes = [h for h in part.holes if h not in others]
    x = min(max(x, 15 + r), right - 15 - r)
    strip = float(rng.uniform(0.15, 0.9)) * _WEB[part.process]
    part.circles.append((x, top - strip - r, r))
    return Planted("thin-web", shapely.Point(x, top - strip / 2))


def _slit(part: Part, rng: np.random.Generator) -> Planted:
    """Cut a slit into the lower edge, narrower than the tool."""
    wide = float(rng.uniform(0.3, 0.9)) * _TOOL[part.process]
    deep = float(rng.uniform(5, 7))
    left, right = part.outer[0][0], part.outer[-7][0] if len(part.outer) > 8 else part.outer[1][0]
    x = float(rng.uniform(left + 20, max(right - 20, left + 21)))
    k = max(i for i, v in enumerate(part.outer) if v[1] == 0.0 and v[0] < x and v[0] >= left)
    part.outer[k + 1 : k + 1] = [
        (x, 0.0, 0.0), (x, deep, 0.0), (x + wide, deep, 0.0), (x + wide, 0.0, 0.0)
    ]  # fmt: skip
    strip = shapely.box(x, 0, x + wide, deep)
    return Planted("narrow-slot", strip, ("tight-corner", "thin-web"))


def _square(part: Part, _: np.random.Generator) -> Planted:
    """Give a hole sharp corners, where a bit leaves its radius."""
    part.process = "router"
    x, y, r = part.holes.pop()
    s = max(0.65 * r, 4.0)
    part.more.append(
        ([(x - s, y - s, 0), (x - s, y + s, 0), (x + s, y + s, 0), (x + s, y - s, 0)], True)
    )
    corners = [(x + a * s, y + b * s) for a in (-1, 1) for b in (-1, 1)]
    return Planted("tight-corner", shapely.MultiPoint(corners))


def _text(part: Part, _: np.random.Generator) -> Planted:
    """Leave a word as text."""
    part.texts.append((20.0, 20.0))
    left, bottom, right, top = part.sides
    return Planted("unconverted", shapely.box(left - 5, bottom, right + 5, top + 60))


PLANTS: tuple[Callable[[Part, np.random.Generator], Planted], ...] = (
    _gap, _bow, _overlap, _twice, _tiny, _crowd, _pin, _loose, _drill, _crumb, _web, _slit, _square,
    _text,
)  # fmt: skip
# each works on a side or hole of its own; these two share the tool, which is chosen first
_FIRST = (_square,)


def written(part: Part, file: Path) -> None:
    """Write a part as a DXF in mm."""
    document = ezdxf.new("R2000", units=4)
    space = document.modelspace()
    space.add_lwpolyline(part.outer, format="xyb", close=True)
    for x, y, r in (*part.holes, *part.circles):
        space.add_circle((x, y), r)
    for vertices, close in part.more:
        space.add_lwpolyline(vertices, format="xyb", close=close)
    for at in part.texts:
        space.add_text("PORTO LUME", height=5, dxfattribs={"insert": at})
    document.saveas(file)


def looked(file: Path, part: Part, *more: str) -> list[dict[str, object]]:
    """Return what the command line tells of a file."""
    report = file.with_suffix(".json")
    tool = "--bit" if part.process == "router" else "--kerf"
    code, said = called(
        "inspect", str(file), "--process", part.process, "--thickness", f"{_THICK}mm",
        tool, f"{_TOOL[part.process]}mm", "--report", str(report), *more,
    )  # fmt: skip
    if code not in (0, 3):
        raise RuntimeError(f"{file}: {said}")
    found: list[dict[str, object]] = json.loads(report.read_text())["findings"]
    return found


def _at(one: dict[str, object]) -> shapely.Point:
    return shapely.Point(one["at_mm"])


def run(count: int = 300, seed: int = 40) -> dict[str, float]:
    """Return how much of what was planted is found, and what is told besides."""
    rng = np.random.default_rng(seed)
    planted, found_, mended = Counter[str](), Counter[str](), Counter[str]()
    false = beside = new = touched = 0
    with tempfile.TemporaryDirectory() as folder:
        file, out = Path(folder) / "part.dxf", Path(folder) / "mended.dxf"
        for number in range(count):
            part = sound(rng)
            written(part, file)
            false += bool([f for f in looked(file, part) if f["code"] != "slug"])
            some = rng.choice(len(PLANTS), int(rng.integers(1, 6)), replace=False)
            faults = [PLANTS[k] for k in some.tolist()]
            faults.sort(key=lambda f: f not in _FIRST)
            put = [fault(part, rng) for fault in faults if len(part.holes) > 1]
            written(part, file)
            told = looked(file, part)
            allowed = {"slug"}
            for one in put:
                planted[one.code] += 1
                here = [
                    f for f in told if f["code"] == one.code and one.where.distance(_at(f)) < NEAR
                ]
                found_[one.code] += bool(here)
                allowed |= {one.code, *one.follows}
                if not here:
                    print(f"part {number}: {one.code} not found", file=sys.stderr)
            others = [f for f in told if f["code"] not in allowed]
            beside += bool(others)
            if others:
                print(
                    f"part {number}: beside {[(f['code'], f['at_mm']) for f in others]}",
                    file=sys.stderr,
                )
            for one in put:
                if not called_for(one):
                    continue
                before = Counter(f["code"] for f in told)
                out.unlink(missing_ok=True)
                try:
                    after = looked(file, part, "--mend", one.code, "-o", str(out))
                except RuntimeError as error:
                    print(f"part {number}: {one.code}: {error}", file=sys.stderr)
                    continue
                still = [f for f in after if f["code"] == one.code]
                mended[one.code] += not still
                more = Counter(f["code"] for f in after) - before
                more = Counter(
                    {k: v for k, v in more.items() if k not in one.follows and k != "slug"}
                )
                new += bool(more)
                if still or more:
                    print(
                        f"part {number}: after {one.code}: {len(still)} left, new {dict(more)}",
                        file=sys.stderr,
                    )
                touched += not _kept(part, put, out)
    total = sum(planted.values())
    repaired = sum(v for k, v in planted.items() if k != "unconverted")
    rows = {
        "planted": float(total),
        "found, %": 100 * sum(found_.values()) / total,
        "false, % of sound parts": 100 * false / count,
        "beside, % of parts": 100 * beside / count,
        "mended, %": 100 * sum(mended.values()) / repaired,
        "new ones by a remedy, %": 100 * new / repaired,
        "something else changed, %": 100 * touched / repaired,
    }
    for code in sorted(planted):
        rows[f"{code}: found of {planted[code]}"] = float(found_[code])
    return rows


def called_for(one: Planted) -> bool:
    """Return whether a fault has a remedy of its own."""
    return one.code != "unconverted"


def _kept(part: Part, put: list[Planted], out: Path) -> bool:
    """Return whether every hole that has nothing planted near it is in a mended file as it was."""
    if not out.exists():
        return True
    there = [
        (e.dxf.center.x, e.dxf.center.y, e.dxf.radius)
        for e in ezdxf.readfile(out).modelspace().query("CIRCLE")
    ]
    for entity in ezdxf.readfile(out).modelspace().query("LWPOLYLINE"):
        points = entity.get_points("xyb")
        if len(points) == 2 and all(abs(abs(p[2]) - 1) < 1e-6 for p in points):
            (ax, ay, _), (bx, by, _) = points
            there.append(((ax + bx) / 2, (ay + by) / 2, math.hypot(ax - bx, ay - by) / 2))
    near = [one.where for one in put]
    for x, y, r in part.holes:
        if any(where.distance(shapely.Point(x, y).buffer(r)) < 5.0 for where in near):
            continue
        if not any(math.dist((x, y, r), other) < 1e-3 for other in there):
            return False
    return True


if __name__ == "__main__":
    for name, value in run(int(sys.argv[1]) if len(sys.argv) > 1 else 300).items():
        print(f"{name}: {value:.1f}")
