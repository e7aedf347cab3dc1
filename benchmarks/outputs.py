"""How true what leaves the program is: programs, paper proofs and pictures, read by other code.

Programs of random plans and random machines are read by a few lines of this file, which know
nothing of ours, and the places along each move are held against the plan's motions. Paper proofs
are drawn by pdfium at 600 dpi: bars by their end lines, the outline by the ink across it. Pictures
are opened by three readers.

    python -m benchmarks.outputs [SHARE]
"""

from __future__ import annotations

import io
import math
import re
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pypdfium2
from PIL import Image
from skimage import io as skimage_io

from benchmarks.plans import blob
from silhueta.core.cutting.drawing import draw
from silhueta.core.cutting.edits import set_operation
from silhueta.core.cutting.planned import planned
from silhueta.core.cutting.program import Motion, motions
from silhueta.core.errors import FileError
from silhueta.core.files.pdf import PDF
from silhueta.core.files.png import PNG
from silhueta.core.files.program_proof import prove_program
from silhueta.core.files.program_write import program_bytes
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop
from silhueta.core.inspect_settings import Limits
from silhueta.core.job import CutFileSettings, Job
from silhueta.core.plan_settings import PlanSettings

_INCH = 25.4
_DPI = 600
_ALONG = np.linspace(0, 1, 9)  # of each move, at which it is held against the plan


def random_job(rng: np.random.Generator) -> Job:
    """Return a plate with a few holes, one of them a pocket or a groove where a bit works it."""
    wide, high = rng.uniform(80, 300, 2)
    loops = [Loop(np.array([[0, 0], [wide, 0], [wide, high], [0, high]]) + rng.uniform(-50, 50, 2))]
    left, bottom = loops[0].nodes.min(axis=0)
    for k in range(int(rng.integers(1, 7))):
        x, y = left + wide * (k % 3 + 0.5) / 3, bottom + high * (k // 3 + 0.5) / 2
        size = float(rng.uniform(8, 0.8 * min(wide / 3, high / 2)))
        loops.append(blob(rng, float(x), float(y), size))
    process = str(rng.choice(["plasma", "laser", "router", "knife", "water"]))
    width = {"plasma": 1.5, "laser": 0.2, "router": 6.0, "knife": 0.0, "water": 1.0}[process]
    job = Job(
        outline=Outline(tuple(map(Contour, loops))),
        inspect=Limits(process, float(rng.uniform(1, 12)), width),  # type: ignore[arg-type]
        plan=PlanSettings(
            lead=str(rng.choice(["arc", "line"])),  # type: ignore[arg-type]
            climb=bool(rng.random() < 0.7),
            entry=str(rng.choice(["ramp", "helix", "plunge"])),  # type: ignore[arg-type]
            tabs=int(rng.integers(0, 5)),
        ),
    )
    if process == "router" and len(loops) > 2:
        job = set_operation(job, [2], str(rng.choice(["pocket", "vgroove"])))  # type: ignore[arg-type]
    return job


_WORD = re.compile(r"([A-Z])(-?[\d.]+)")


def read(text: str) -> list[tuple[int, np.ndarray]]:
    """Return the moves of a program: 0 to 3, and (K, 3) places along each, mm."""
    at, scale, found = np.zeros(3), 1.0, []
    motion = 0
    for line in text.splitlines():
        words = _WORD.findall(re.sub(r"\(.*?\)|;.*", "", line))
        codes = [float(value) for letter, value in words if letter == "G"]
        scale = _INCH if 20.0 in codes else 1.0 if 21.0 in codes else scale
        motion = next((int(code) for code in codes if code in (0, 1, 2, 3)), motion)
        told = {letter: float(value) * scale for letter, value in words}
        if 4.0 in codes or not {"X", "Y", "Z"} & set(told):
            continue
        end = np.array([told.get(axis, old) for axis, old in zip("XYZ", at, strict=True)])
        places = at + _ALONG[:, None] * (end - at)
        if motion > 1:
            centre = at[:2] + [told.get("I", 0.0), told.get("J", 0.0)]
            first = math.atan2(*(at[:2] - centre)[::-1])
            last = math.atan2(*(end[:2] - centre)[::-1])
            turn = (last - first) % (2 * math.pi)
            turn = turn if motion == 3 else turn - 2 * math.pi
            if abs(turn) < 1e-9 or abs(abs(turn) - 2 * math.pi) < 1e-9:
                turn = 2 * math.pi if motion == 3 else -2 * math.pi
            way = first + _ALONG * turn
            radius = math.dist(at[:2], centre)
            places[:, 0] = centre[0] + radius * np.cos(way)
            places[:, 1] = centre[1] + radius * np.sin(way)
        at = end
        if {"X", "Y"} & set(told):  # straight up after a change of the tool: nothing is cut
            found.append((motion, places))
    return found


def meant(steps: tuple[Motion, ...], up: dict[int, float]) -> list[tuple[int, np.ndarray]]:
    """Return the same of a plan's motions; `up`: what Z is counted from, by the tool's number."""
    found, z = [], 0.0
    for one in steps:
        if one.kind == "tool":
            assert one.tool is not None
            z = up[one.tool.number]
        if one.kind not in ("rapid", "cut", "plunge"):
            continue
        for a, b, bulge in zip(one.points[:-1], one.points[1:], one.bulges.tolist(), strict=True):
            places = a + _ALONG[:, None] * (b - a)
            if bulge:
                turn = 4 * math.atan(bulge)
                chord = b[:2] - a[:2]
                rise = np.hypot(*chord) / (2 * math.tan(turn / 2))
                centre = (a[:2] + b[:2]) / 2 + rise * np.array([-chord[1], chord[0]]) / np.hypot(
                    *chord
                )
                spoke = a[:2] - centre
                c, s = np.cos(turn * _ALONG), np.sin(turn * _ALONG)
                places[:, 0] = centre[0] + c * spoke[0] - s * spoke[1]
                places[:, 1] = centre[1] + s * spoke[0] + c * spoke[1]
            places[:, 2] += z
            found.append((0 if one.kind == "rapid" else 1, places))
    return found


def programs(count: int = 2000) -> dict[str, float]:
    """Return how programs of random plans agree with them, in mm."""
    rng = np.random.default_rng(31)
    worst, arcs, other, refused, moves = 0.0, 0.0, 0, 0, 0
    for _ in range(count):
        job = random_job(rng)
        plan = planned(job)
        machine = replace(
            plan.machine, decimals=int(rng.integers(4, 7)), line_numbers=int(rng.integers(0, 2))
        )
        plan = replace(plan, machine=machine)
        units = "mm" if rng.random() < 0.5 else "in"
        steps = motions(plan)
        text = program_bytes(plan, steps, units, (0.0, 0.0))  # type: ignore[arg-type]
        try:
            prove_program(plan, steps, (0.0, 0.0), text, "x.nc")
        except FileError:
            refused += 1
        up = {t.number: plan.thickness if t.zero == "table" else 0.0 for t in plan.tools}
        flat = plan.machine.z == "none"
        came, want = read(text.decode()), meant(steps, up)
        if len(came) != len(want):
            other += 1
            continue
        for k, ((motion, got), (kind, asked)) in enumerate(zip(came, want, strict=True)):
            other += (motion > 0) != (kind > 0)
            if k == 0:  # where the first one starts is for the machine to know
                got, asked = got[-1:], asked[-1:]
            off = float(np.abs(got - asked)[:, : 2 if flat else 3].max())
            worst = max(worst, off)
            arcs = max(arcs, off) if motion > 1 else arcs
        moves += len(came)
    return {
        "programs": float(count),
        "programs, moves": float(moves),
        "programs that were refused": float(refused),
        "moves of another kind, or lost": float(other),
        "places off the plan, worst, mm": worst,
        "places of arcs off the plan, worst, mm": arcs,
    }


def speed(count: int = 100_000) -> dict[str, float]:
    """Return how long many moves take to be written and proven, and beside one json.dumps of it."""
    import json

    angle = np.linspace(0, 2 * np.pi, count // 2, endpoint=False)
    far = 200 + 5 * np.sin(40 * angle)
    ring = np.column_stack([far * np.cos(angle), far * np.sin(angle)])
    loops = [Loop(ring), Loop(ring + [450, 0])]
    job = Job(outline=Outline(tuple(map(Contour, loops))), inspect=Limits("knife", 1.0, 0.0))
    plan = planned(job)
    plan = replace(plan, machine=replace(plan.machine, bed_mm=(2000.0, 2000.0)))
    steps = motions(plan)
    start = time.perf_counter()
    text = program_bytes(plan, steps, "mm", (300.0, 300.0))
    written = time.perf_counter()
    moves = prove_program(plan, steps, (300.0, 300.0), text, "x.nc")
    proven = time.perf_counter()
    json.dumps(np.concatenate([one.points for one in steps if len(one.points)]).tolist())
    told = time.perf_counter() - proven
    return {
        "moves written and proven": float(moves),
        "written, s": written - start,
        "proven, s": proven - written,
        "both, as times json.dumps of the places": (proven - start) / told,
    }


def proofs(count: int = 30) -> dict[str, float]:
    """Return how far bars and outlines of paper proofs are off, mm, as pdfium draws them."""
    rng = np.random.default_rng(37)
    bar, edge, sheets = 0.0, 0.0, 0
    for _ in range(count):
        size = float(rng.uniform(60, 160))
        outline = Outline(
            (
                Contour(blob(rng, 0, 0, size)),
                Contour(blob(rng, 0, 0, size / 6)),
            )
        )
        paper = str(rng.choice(["a4", "a3", "letter"]))
        data = PDF.write(draw(outline), CutFileSettings().choosing("pdf.paper", paper))
        for page in pypdfium2.PdfDocument(data):
            shown = page.render(scale=_DPI / 72, grayscale=True).to_numpy()
            ink = 1 - shown.reshape(shown.shape[:2]) / 255.0
            bar = max(bar, *(abs(one - 100) for one in _bars(ink)))
            edge = max(edge, _edge(ink, outline))
            sheets += 1
    return {
        "paper proofs": float(count),
        "sheets": float(sheets),
        "bars off 100 mm, worst": bar,
        "outline's ink off the truth, worst, mm": edge,
    }


def _bars(ink: np.ndarray) -> list[float]:
    """Return the bars' lengths: the lowest long line, and the leftmost, by their end lines."""
    found = []
    for turned in (ink, ink.T[::-1, ::-1]):
        row = np.flatnonzero((turned > 0.5).sum(axis=1) > 90 / _INCH * _DPI).max()
        dark = np.flatnonzero(turned[row] > 0.5)
        columns = max(np.split(dark, np.flatnonzero(np.diff(dark) > 1) + 1), key=len)
        ends = []
        for end in (columns[0], columns[-1]):
            own = turned[row - 50 : row - 12, end - 20 : end + 21].mean(axis=0)
            ends.append(end - 20 + float((own * np.arange(41)).sum() / own.sum()))
        found.append((ends[1] - ends[0]) / _DPI * _INCH)
    return found


def _edge(ink: np.ndarray, outline: Outline) -> float:
    """Return how far the outline's line is off, mm: its box against the truth's, by sub-pixels.

    Where the part lies on the paper is not known here: its box is found in the middle of the ink,
    and its shape is laid on it and compared place by place.
    """
    from scipy.ndimage import map_coordinates
    from scipy.optimize import least_squares

    loop = outline.contours[0].path
    assert isinstance(loop, Loop)
    points, ways = _sampled(loop, 0.05)
    every, _ = _sampled(loop, 0.0)
    high = len(ink)

    def off(place: np.ndarray) -> np.ndarray:
        reach = np.linspace(-0.5, 0.5, 41)
        at = points[:, None] + place + reach[None, :, None] * ways[:, None]
        rows = high - at[..., 1] / _INCH * _DPI - 0.5
        columns = at[..., 0] / _INCH * _DPI - 0.5
        dark = map_coordinates(ink, [rows, columns], order=1, cval=0.0)
        weight = dark.sum(axis=1)
        return np.where(weight > 0.5, (dark * reach).sum(axis=1) / np.maximum(weight, 1e-9), 0.5)

    low = every.min(axis=0)
    # the outer loop is the largest chain of ink that is no bar: its middle is found by its box
    count, _, stats, _ = cv2.connectedComponentsWithStats((ink > 0.3).astype(np.uint8))
    want = np.ptp(every, axis=0) / _INCH * _DPI
    k = min(range(1, count), key=lambda k: float(np.abs(stats[k, 2:4] - want).sum()))
    start = np.array([stats[k, 0], high - stats[k, 1] - stats[k, 3]]) / _DPI * _INCH - low
    fitted = least_squares(off, start + 0.05, diff_step=1e-4, loss="soft_l1", f_scale=0.02)
    left = np.abs(off(fitted.x))
    # dimensions end on the outline, and centre marks may cross it: a few places are not its own
    return float(np.quantile(left, 0.98))


def _sampled(loop: Loop, off: float) -> tuple[np.ndarray, np.ndarray]:
    """Return places along a loop, `off` its nodes by that share, and the ways across it."""
    points, ways = [], []
    nodes = loop.nodes
    for k, bulge in enumerate(loop.bulges.tolist()):
        a, b = nodes[k], nodes[(k + 1) % len(nodes)]
        chord = b - a
        share = np.linspace(off, 1 - off, 60)
        if not bulge:
            points.append(a + share[:, None] * chord)
            across = np.array([chord[1], -chord[0]]) / np.hypot(*chord)
            ways.append(np.repeat(across[None], len(share), axis=0))
            continue
        turn = 4 * math.atan(bulge)
        rise = np.hypot(*chord) / (2 * math.tan(turn / 2))
        centre = (a + b) / 2 + rise * np.array([-chord[1], chord[0]]) / np.hypot(*chord)
        c, s = np.cos(turn * share), np.sin(turn * share)
        x, y = a - centre
        spoke = np.column_stack([c * x - s * y, s * x + c * y])
        points.append(centre + spoke)
        ways.append(spoke / np.hypot(x, y))
    return np.concatenate(points), np.concatenate(ways)


def pictures(count: int = 20) -> dict[str, float]:
    """Return how far pictures are off: their size by three readers, and what they cover."""
    rng = np.random.default_rng(41)
    dpis, size, area = 0.0, 0.0, 0.0
    with tempfile.TemporaryDirectory() as folder:
        for _ in range(count):
            wide, high = rng.uniform(20, 200, 2)
            corners = np.array([[0, 0], [wide, 0], [wide, high], [0, high]])
            dpi = float(rng.integers(72, 601))
            chosen = CutFileSettings().choosing("png.dpi", dpi).choosing("png.shows", "filled")
            data = PNG.write(draw(Outline((Contour(Loop(corners)),))), chosen)
            file = Path(folder) / "p.png"
            file.write_bytes(data)
            told = Image.open(io.BytesIO(data)).info["dpi"]
            dpis = max(dpis, *(abs(one / dpi - 1) for one in told))
            for values in (
                np.asarray(Image.open(io.BytesIO(data))),
                cv2.imread(str(file), cv2.IMREAD_GRAYSCALE),
                skimage_io.imread(file),
            ):
                sides = np.array(values.shape[::-1]) / dpi * _INCH
                size = max(size, *np.abs(sides - [wide, high]) / (_INCH / dpi))
                covered = float((255.0 - values).sum()) / 255 * (_INCH / dpi) ** 2
                area = max(area, abs(covered / (wide * high) - 1))
    return {
        "pictures": float(count),
        "dpi in the file off, worst, %": 100 * dpis,
        "sides off, worst, px": float(size),
        "area covered off, worst, %": 100 * area,
    }


def run(share: float = 1.0) -> dict[str, float]:
    """Return everything; `share` of the usual numbers."""

    def some(count: int) -> int:
        return max(2, round(count * share))

    rows = programs(some(2000)) | speed(some(100_000))
    return rows | proofs(some(30)) | pictures(some(20))


if __name__ == "__main__":
    for name, value in run(float(sys.argv[1]) if len(sys.argv) > 1 else 1.0).items():
        print(f"{name:45} {value:,.5g}")
