"""How often True up sees what a part was meant to be, and how often it sees what is not there.

Parts are drawn by this file alone, from their own list of lines, arcs and holes, as light at 5 px a
mm with supersampling, blurred, with noise that neighbours share, turned any way, as JPEG. They are
traced as any scan is, and what True up offers is held against the list.

    python -m benchmarks.truing [COUNT]

Words used here
    sure     an offer of at least 95 %
    false    an offer that the part's own list contradicts
"""

from __future__ import annotations

import io
import math
import sys
import tempfile
import time
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path

import cv2
import ezdxf
import numpy as np
import shapely
from PIL import Image

from benchmarks.called import called
from silhueta.core.datums import DpiDatum
from silhueta.core.errors import SilhuetaError
from silhueta.core.job import Job, PictureFile
from silhueta.core.picture.decode import decode, decode_colour
from silhueta.core.trace.job_trace import read_job, trace_job
from silhueta.core.truing.apply import noise_of, trued
from silhueta.core.truing.features import Feature, rounded
from silhueta.core.truing.merge import merged
from silhueta.core.truing.offers import find_offers

PX = 5.0  # a mm
_SUPER = 8
_NEAR = 0.4  # mm, that a feature may lie from the true one


@dataclass
class Drawn:
    """A part, mm: its outer corners with their radii, and holes (x, y, diameter); slots besides."""

    corners: list[tuple[float, float, float]]
    holes: list[tuple[float, float, float]] = field(default_factory=list)
    slots: list[tuple[float, float, float, float, float]] = field(default_factory=list)
    disc: float = 0.0  # diameter, in place of corners
    kind: str = ""


def random_part(rng: np.random.Generator) -> Drawn:
    """Return a bracket, a flange, a plate or a skew plate."""
    kind = rng.choice(["plate", "flange", "skew", "bracket"])
    size = rng.choice([3.0, 3.4, 4.5, 5.0, 5.5, 6.0, 6.6, 8.0, 9.0, 10.0, 11.0])
    if rng.random() < 0.3:  # made to no size
        size = float(np.round(rng.uniform(3, 11), 3))
    if kind == "flange":
        across = rng.uniform(50, 80)
        count = int(rng.integers(3, 9))
        far, turn = across / 2 - size, rng.uniform(0, 6)
        angle = turn + 2 * np.pi * np.arange(count) / count
        ring = [(float(far * np.cos(a)), float(far * np.sin(a)), float(size)) for a in angle]
        bore = (0.0, 0.0, float(rng.uniform(12, 0.4 * across)))
        return Drawn([], [bore, *ring], disc=across, kind="flange")
    wide, high = rng.uniform(50, 110), rng.uniform(30, 70)
    radius = 0.0 if rng.random() < 0.4 else float(rng.uniform(3, 8))
    corners = [(0, 0), (wide, 0), (wide, high), (0, high)]
    if kind == "skew":
        corners = [(x + rng.uniform(-6, 6), y + rng.uniform(-6, 6)) for x, y in corners]
    if kind == "bracket":
        step_x, step_y = wide * rng.uniform(0.4, 0.6), high * rng.uniform(0.4, 0.6)
        corners = [(0, 0), (wide, 0), (wide, step_y), (step_x, step_y), (step_x, high), (0, high)]
    made = Drawn([(float(x), float(y), radius) for x, y in corners], kind=str(kind))
    edge = radius + size
    count = int(rng.integers(2, 5))
    y = min(edge + 2, high / 2 - 1) if kind == "bracket" else high / 2
    made.holes = [
        (float(x), float(y), float(size)) for x in np.linspace(edge + 6, wide - edge - 6, count)
    ]
    return made


def lines_and_arcs(part: Drawn) -> tuple[list[np.ndarray], list[tuple[np.ndarray, float]]]:
    """Return the true straight edges (2, 2) and the arcs (centre, radius), mm."""
    lines, arcs = [], []
    points = np.array([c[:2] for c in part.corners])
    count = len(points)
    cuts = []
    for k, (x, y, r) in enumerate(part.corners):
        here = np.array([x, y])
        ways = [points[k - 1] - here, points[(k + 1) % count] - here]
        ways = [way / np.linalg.norm(way) for way in ways]
        half = math.acos(np.clip(ways[0] @ ways[1], -1, 1)) / 2
        touch = r / math.tan(half)
        cuts.append((here + touch * ways[0], here + touch * ways[1]))
        if r > 0:
            middle = (ways[0] + ways[1]) / np.linalg.norm(ways[0] + ways[1])
            arcs.append((here + r / math.sin(half) * middle, r))
    for k in range(count):
        lines.append(np.array([cuts[k][1], cuts[(k + 1) % count][0]]))
    return lines, arcs


def picture(part: Drawn, rng: np.random.Generator, turn: float) -> tuple[bytes, np.ndarray]:
    """Return a JPEG of the part, and the matrix (2, 3) from its mm to mm in the picture, y up."""
    lines, arcs = lines_and_arcs(part)
    if part.disc:
        angle = np.linspace(0, 2 * np.pi, 2000, endpoint=False)
        ring = part.disc / 2 * np.column_stack([np.cos(angle), np.sin(angle)])
    else:
        pieces = []
        for k, line in enumerate(lines):
            pieces.append(line)
            if arcs:
                centre, r = arcs[(k + 1) % len(arcs)]
                after = lines[(k + 1) % len(lines)][0]
                a, b = (math.atan2(*(p - centre)[::-1]) for p in (line[1], after))
                sweep = math.remainder(b - a, 2 * math.pi)
                angle = a + sweep * np.linspace(0, 1, 200)
                pieces.append(centre + r * np.column_stack([np.cos(angle), np.sin(angle)]))
        ring = np.vstack(pieces)
    c, s = math.cos(turn), math.sin(turn)
    matrix = np.array([[c, -s], [s, c]])
    moved = ring @ matrix.T
    low = moved.min(0) - 12
    shift = -low + rng.uniform(0, 1, 2)
    size = np.ceil((moved.max(0) + 12 - low + 1) * PX).astype(int)
    k = _SUPER * PX
    big = np.zeros((size[1] * _SUPER, size[0] * _SUPER), np.uint8)

    def fill(points: np.ndarray, value: int) -> None:
        at = (points @ matrix.T + shift) * k
        at[:, 1] = big.shape[0] - at[:, 1]
        cv2.fillPoly(big, [np.round((at - 0.5) * 16).astype(np.int32)], value, shift=4)

    fill(ring, 255)
    angle = np.linspace(0, 2 * np.pi, 720, endpoint=False)
    for x, y, d in part.holes:
        fill(np.array([x, y]) + d / 2 * np.column_stack([np.cos(angle), np.sin(angle)]), 0)
    share = cv2.resize(big, tuple(size.tolist()), interpolation=cv2.INTER_AREA) / 255.0
    light = 0.75 + (0.06 - 0.75) * share
    light = cv2.GaussianBlur(light, (0, 0), rng.uniform(0.6, 1.1))
    grain = cv2.GaussianBlur(rng.normal(0, 1, light.shape), (0, 0), 0.8)
    light = np.clip(light + 0.012 * grain / grain.std() * np.sqrt(np.clip(light, 0.05, 1)), 0, 1)
    stored = np.where(light <= 0.0031308, 12.92 * light, 1.055 * light ** (1 / 2.4) - 0.055)
    stream = io.BytesIO()
    grey = np.round(255 * stored).astype(np.uint8)
    Image.fromarray(grey).save(stream, "JPEG", quality=90, dpi=(PX * 25.4, PX * 25.4))
    return stream.getvalue(), np.column_stack([matrix, shift])


def _at(matrix: np.ndarray, points: np.ndarray) -> np.ndarray:
    return np.asarray(np.atleast_2d(points) @ matrix[:, :2].T + matrix[:, 2])


@dataclass
class Truth:
    """What is true of each feature: which line, hole or arc of the part it is."""

    lines: dict[int, int]
    rounds: dict[int, tuple[str, int]]


def matched(found: list[Feature], part: Drawn, matrix: np.ndarray) -> Truth:
    """Return which true line, hole or arc each feature is."""
    lines, arcs = lines_and_arcs(part) if not part.disc else ([], [])
    truth = Truth({}, {})
    for i, f in enumerate(found):
        if f.kind == "line":
            for k, line in enumerate(lines):
                a, b = _at(matrix, line)
                way = (b - a) / np.linalg.norm(b - a)
                off = np.array(f.place) - a
                aside = abs(way[0] * off[1] - way[1] * off[0])
                turn = abs(math.remainder(f.angle - math.atan2(way[1], way[0]), math.pi))
                inside = -1 < way @ off < np.linalg.norm(b - a) + 1
                if (
                    aside < _NEAR
                    and turn < 0.03
                    and inside
                    and f.size > 0.1 * np.linalg.norm(b - a)
                ):
                    truth.lines[i] = k
        else:
            rounds = [("hole", k, np.array(h[:2]), h[2] / 2) for k, h in enumerate(part.holes)]
            rounds += [("arc", k, c, r) for k, (c, r) in enumerate(arcs)]
            rounds += [("disc", 0, np.zeros(2), part.disc / 2)] if part.disc else []
            for name, k, centre, r in rounds:
                off = np.linalg.norm(_at(matrix, centre)[0] - f.centre)
                if off < _NEAR + 0.1 * r * (name == "arc") and abs(r - f.radius) < 0.1 * r + 0.1:
                    truth.rounds[i] = (name, k)
    return truth


def run(count: int = 300) -> dict[str, float]:
    """Return the figures of so many random parts."""
    tally: Counter[str] = Counter()
    off_before, off_after, seconds = [], [], []
    for number in range(count):
        rng = np.random.default_rng(9000 + number)
        part = random_part(rng)
        data, matrix = picture(part, rng, rng.uniform(0, 2 * math.pi))
        source = PictureFile(data, "part.jpg")
        job = Job(picture=source, datums=(DpiDatum(PX * 25.4, "file"),))
        try:
            decoded = decode(source)
            job = read_job(job, decoded, "solid", decode_colour(source))[0]
            done = trace_job(job, decoded)
        except SilhuetaError:
            tally["refused"] += 1
            continue
        noise = noise_of(done.job, done.rectified)
        outline = merged(rounded(done.job.outline, noise), noise)
        begun = time.perf_counter()
        got = find_offers(outline, noise, "drill")
        seconds.append(time.perf_counter() - begun)
        truth = matched(got.features, part, matrix)
        _count(tally, part, got, truth)
        for i, (name, k) in truth.rounds.items():
            if name == "hole":
                off_before.append(got.features[i].size - part.holes[k][2])
        made = trued(outline, noise, "all", "drill")
        again = find_offers(made.outline, noise, "drill").features
        for i, (name, k) in matched(again, part, matrix).rounds.items():
            if name == "hole":
                off_after.append(again[i].size - part.holes[k][2])
    return _figures(tally, np.array(off_before), np.array(off_after), seconds)


def told(count: int = 300) -> dict[str, float]:
    """Return the holes of the same parts as `silhueta trace --true all` writes them.

    Each true hole's partner is the circle of the DXF whose centre is nearest to where it lies.
    """
    tally: Counter[str] = Counter()
    off: list[float] = []
    with tempfile.TemporaryDirectory() as room:
        file, out = Path(room) / "part.jpg", Path(room) / "part.dxf"
        for number in range(count):
            rng = np.random.default_rng(9000 + number)
            part = random_part(rng)
            data, matrix = picture(part, rng, rng.uniform(0, 2 * math.pi))
            file.write_bytes(data)
            given = ["--dpi", f"{PX * 25.4}", "--origin", "picture", "--true", "all"]
            if called("trace", str(file), "-o", str(out), *given, "--hole-sizes", "drill")[0]:
                tally["refused"] += 1
                continue
            circles = [
                (np.array(circle.dxf.center.vec2), 2 * circle.dxf.radius)
                for circle in ezdxf.readfile(out).modelspace().query("CIRCLE")
            ]
            for x, y, diameter in part.holes:
                centre = _at(matrix, np.array([x, y]))[0]
                near = [d for at, d in circles if np.hypot(*(at - centre)) < _NEAR]
                tally["holes"] += 1
                if near:
                    off.append(min(near, key=lambda d: abs(d - diameter)) - diameter)
    return {
        "command line: refused": tally["refused"],
        "command line: holes found, %": 100 * len(off) / max(tally["holes"], 1),
        "command line: holes within 0.001 mm, %": 100 * float(np.mean(np.abs(off) < 1e-3)),
        "command line: holes within 0.03 mm, %": 100 * float(np.mean(np.abs(off) < 0.03)),
    }


def _count(tally: Counter[str], part: Drawn, got: object, truth: Truth) -> None:
    found, offers = got.features, got.offers  # type: ignore[attr-defined]
    lines, arcs = lines_and_arcs(part) if not part.disc else ([], [])
    tally["holes"] += len(part.holes)
    tally["holes found"] += len({v for v in truth.rounds.values() if v[0] == "hole"})
    tally["lines"] += len(lines)
    tally["lines found"] += len(set(truth.lines.values()))
    tally["arcs"] += len(arcs)
    tally["arcs found"] += len({v for v in truth.rounds.values() if v[0] == "arc"})
    tally["features"] += len(found)
    tally["false features"] += sum(
        i not in truth.lines and i not in truth.rounds for i in range(len(found))
    )
    angles = [math.atan2(*(line[1] - line[0])[::-1]) for line in lines]
    square = {
        (a, b)
        for a in range(len(lines))
        for b in range(len(lines))
        if a != b and abs(math.remainder(angles[a] - angles[b], math.pi / 2)) < 1e-9
    }
    tally["lines square to another"] += len({a for a, _ in square})
    linked: set[int] = set()
    for offer in offers:
        if offer.share < 0.95:
            continue
        if offer.kind in ("parallel", "perpendicular"):
            a, b = (truth.lines.get(i) for i in offer.features)
            tally["sure directions"] += 1
            good = (a, b) in square
            tally["false directions"] += not good
            linked |= {a, b} if good else set()  # type: ignore[arg-type]
        elif offer.kind == "equal radius":
            one, two = (truth.rounds.get(i) for i in offer.features)
            tally["sure equal"] += 1
            tally["false equal"] += one is None or two is None or not _equal(part, one, two)
        elif offer.kind == "size":
            name = truth.rounds.get(offer.features[0])
            tally["sure sizes"] += 1
            meant = 2 * (offer.relations[0].value or 0.0)
            tally["wrong sizes"] += name is None or abs(_size(part, name) - meant) > 1e-6
        elif offer.kind in ("evenly on a circle", "in a row", "in a grid"):
            tally["sure patterns"] += 1
            holes = {v[1] for v in (truth.rounds.get(i, ("", -1)) for i in offer.features)}
            tally["false patterns"] += -1 in holes
    tally["lines linked"] += len(linked)
    mirrored = any(o.kind == "symmetric" and o.share >= 0.95 for o in offers)
    tally["symmetric"] += part.kind == "plate"
    tally["symmetric found"] += part.kind == "plate" and mirrored
    tally["unlike"] += part.kind in ("skew", "bracket")
    tally["false symmetric"] += part.kind in ("skew", "bracket") and mirrored
    many = len(part.holes) >= 3 + (1 if part.disc else 0)
    laid_out = ("evenly on a circle", "in a row", "in a grid")
    told = any(o.kind in laid_out and o.share >= 0.95 for o in offers)
    tally["patterns"] += many and _apart(part)
    tally["patterns found"] += many and _apart(part) and told
    tally["patterns of holes that meet"] += many and not _apart(part)


def _apart(part: Drawn) -> bool:
    """Return whether every hole is one: clear of the others and of the part's edge."""
    discs = [shapely.Point(x, y).buffer(size / 2) for x, y, size in part.holes]
    edge = shapely.LinearRing([(x, y) for x, y, _ in part.corners]) if part.corners else None
    return all(
        all(one.distance(two) > 0 for two in discs[:k]) and (edge is None or one.distance(edge) > 0)
        for k, one in enumerate(discs)
    )


def _equal(part: Drawn, one: tuple[str, int], two: tuple[str, int]) -> bool:
    return abs(_size(part, one) - _size(part, two)) < 1e-9


def _size(part: Drawn, name: tuple[str, int]) -> float:
    if name[0] == "hole":
        return part.holes[name[1]][2]
    return part.disc if name[0] == "disc" else 2 * part.corners[0][2]


def _figures(
    tally: Counter[str], before: np.ndarray, after: np.ndarray, seconds: list[float]
) -> dict[str, float]:
    def share(part: str, whole: str) -> float:
        return 100 * tally[part] / max(tally[whole], 1)

    return {
        "refused": tally["refused"],
        "holes found, % (wanted 97)": share("holes found", "holes"),
        "edges found, % (wanted 97)": share("lines found", "lines"),
        "arcs found, % (wanted 97)": share("arcs found", "arcs"),
        "features that are none, % (wanted 1)": share("false features", "features"),
        "holes within 0.03 mm before, %": 100 * float(np.mean(np.abs(before) < 0.03)),
        "error of a hole before, mm, median": float(np.median(before)),
        "holes within 0.001 mm after --true all, %": 100 * float(np.mean(np.abs(after) < 1e-3)),
        "holes within 0.03 mm after, %": 100 * float(np.mean(np.abs(after) < 0.03)),
        "edges linked to one they are square or parallel to, % (wanted 95)": share(
            "lines linked", "lines square to another"
        ),
        "false directions of the sure, % (wanted 1)": share("false directions", "sure directions"),
        "false equal radii of the sure, % (wanted 1)": share("false equal", "sure equal"),
        "sizes called sure": tally["sure sizes"],
        "wrong sizes called sure, % of holes (wanted 1)": share("wrong sizes", "holes found"),
        "patterns found, % (wanted 95)": share("patterns found", "patterns"),
        "parts whose holes meet each other or the edge, not counted": float(
            tally["patterns of holes that meet"]
        ),
        "false patterns of the sure, %": share("false patterns", "sure patterns"),
        "symmetric plates found, % (wanted 95)": share("symmetric found", "symmetric"),
        "others called symmetric, %": share("false symmetric", "unlike"),
        "seconds to find all offers, median": float(np.median(seconds)),
    }


if __name__ == "__main__":
    for name, value in run(int(sys.argv[1]) if len(sys.argv) > 1 else 300).items():
        print(f"{name}: {value:.4g}")
