"""How often a rehearsal finds what is wrong in a cut file, and how often what is not there.

Parts and programs come from benchmarks.written, which shares nothing with the product. Programs of
the product's own plans stand beside them, as those are what people rehearse most. The command line
reads each file, held against the part.

    python -m benchmarks.rehearsals [SHARE]

Words used here
    planted    a mistake that was put in
    found      told with a code that stands for it, in the lines where it was put in
    invented   told of a file in which nothing is wrong
"""

from __future__ import annotations

import json
import math
import re
import resource
import subprocess
import sys
import tempfile
import time
from collections import Counter
from dataclasses import replace
from pathlib import Path

import ezdxf
import numpy as np
import shapely

from benchmarks.called import called
from benchmarks.outputs import random_job
from benchmarks.plans import stepped
from benchmarks.written import INCH, LEAD, MISTAKES, THICK, WIDTH, Sheet, along, sheet, written
from silhueta.core.cutting.plan import Plan
from silhueta.core.cutting.planned import planned
from silhueta.core.cutting.program import motions
from silhueta.core.cutting.timing import times
from silhueta.core.files.job_file import save_job
from silhueta.core.files.program_write import program_bytes
from silhueta.core.job import Job


def told(folder: Path, made: Sheet) -> tuple[int, dict[str, object]]:
    """Return the exit code of a program's rehearsal, and its report."""
    drawing = ezdxf.new(units=4)
    space = drawing.modelspace()
    space.add_lwpolyline(shapely.get_coordinates(made.rim)[:-1], close=True)
    for hole, (x, y, size) in zip(made.holes, made.circles, strict=True):
        if size:
            space.add_circle((x, y), size)
        else:
            space.add_lwpolyline(shapely.get_coordinates(hole)[:-1], close=True)
    drawing.saveas(folder / "part.dxf")
    (folder / "cut.nc").write_text(written(made))
    width = {"plasma": "--kerf", "router": "--bit"}[made.process]
    return _rehearsed(
        folder, "part.dxf", "--process", made.process, width, f"{WIDTH[made.process]}mm",
        "--thickness", f"{THICK}mm",
    )  # fmt: skip


def _rehearsed(folder: Path, against: str, *more: str) -> tuple[int, dict[str, object]]:
    report = folder / "report.json"
    report.unlink(missing_ok=True)
    code, said = called(
        "rehearse", str(folder / "cut.nc"), "--against", str(folder / against),
        "--report", str(report), *more,
    )  # fmt: skip
    if not report.is_file():
        return code, {"events": [{"code": said, "line": 0}]}
    return code, json.loads(report.read_text())


def sound(count: int = 150) -> dict[str, float]:
    """Return what is invented in good files of this file's own, and how far off they are told."""
    rng = np.random.default_rng(43)
    invented, off, rest = Counter[str](), [], 0
    with tempfile.TemporaryDirectory() as name:
        for k in range(count):
            made = sheet(rng, ("plasma", "router")[k % 2])
            code, report = told(Path(name), made)
            for one in report["events"]:  # type: ignore[attr-defined]
                invented[one["code"]] += 1
                print(k, made.process, one, file=sys.stderr)
            rest += code != 0
            off.append(report.get("deviation_beyond_radius_mm") or math.inf)
    return {
        "good files of the benchmark": float(count),
        "of them with something invented": float(rest),
        "final part off what was wanted beside the radius, worst, mm": float(np.max(off)),
    } | {f"invented {code}": float(many) for code, many in invented.items()}


def _planned(rng: np.random.Generator) -> tuple[Job, Plan]:
    """Return a job whose every loop is cut: holes that a bit does not enter are rightly missed."""
    while True:
        job = random_job(rng)
        plan = planned(job)
        if not plan.left_out and len(plan.entries) == len(job.outline.contours):
            return job, plan


def own(count: int = 150) -> dict[str, float]:
    """Return the same of programs of the product's own plans, and how far their times are off."""
    rng = np.random.default_rng(44)
    rest, off, plan_off, walk_off = 0, [], [], []
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        for k in range(count):
            job, plan = _planned(rng)
            steps = motions(plan)
            save_job(job, folder / "part.silhueta")
            (folder / "cut.nc").write_bytes(program_bytes(plan, steps, "mm", (0.0, 0.0)))
            _, report = _rehearsed(folder, "part.silhueta")
            rest += bool(report["events"])
            if report["events"]:
                print(k, job.inspect.process, report["events"], file=sys.stderr)
            if report.get("deviation_beyond_radius_mm") is not None:
                off.append(report["deviation_beyond_radius_mm"])
            spent = float(report["seconds"])  # type: ignore[arg-type]
            plan_off.append(abs(spent / times(steps, plan.machine).seconds - 1))
            if k % 5 == 0:
                walk_off.append(abs(spent / stepped(steps, plan.machine) - 1))
    return {
        "good files of the product's plans": float(count),
        "of them with something told": float(rest),
        "their final part off, worst, mm": float(np.max(off)),
        "their time off the plan's, worst, %": 100 * max(plan_off),
        "their time off a walk of 1 ms steps, worst, %": 100 * max(walk_off),
    }


def spoiled(count: int = 280) -> dict[str, float]:
    """Return the share of planted mistakes that is found, kind by kind."""
    rng = np.random.default_rng(45)
    all_, found, there = Counter[str](), Counter[str](), Counter[str]()
    with tempfile.TemporaryDirectory() as name:
        for k in range(count):
            kind = list(MISTAKES)[k % len(MISTAKES)]
            processes, spoil = MISTAKES[kind]
            made = sheet(rng, str(rng.choice(processes)))
            codes = spoil(made, rng)
            _, report = told(Path(name), made)
            hits = [one for one in report["events"] if one["code"] in codes]  # type: ignore[attr-defined]
            all_[kind] += 1
            found[kind] += bool(hits)
            first, last = made.lines
            there[kind] += any(not last or first <= one["line"] <= last for one in hits)
            if not hits:
                told_ = [one["code"] for one in report["events"]]  # type: ignore[attr-defined]
                print(k, kind, made.process, told_, made.radii, file=sys.stderr)
            elif not any(not last or first <= one["line"] <= last for one in hits):
                print(k, kind, "elsewhere", hits, made.lines, file=sys.stderr)
    rows = {f"found: {kind}, of {many}": float(found[kind]) for kind, many in all_.items()}
    lines = sum(there.values())
    return rows | {"found, and its line in the cut that is wrong": float(lines)}


def held(count: int = 10) -> dict[str, float]:
    """Return mistakes found in the product's own programs that only a plan can tell."""
    rng = np.random.default_rng(46)
    tabs = slow = many = 0
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        while many < count:
            job = random_job(rng)
            if job.inspect.process != "router":
                continue
            job = replace(job, plan=replace(job.plan, tabs=int(rng.integers(2, 5))))
            plan = planned(job)
            if not all(one.tabs for one in plan.entries if one.operation == "cut"):
                continue
            many += 1
            save_job(job, folder / "part.silhueta")
            none = planned(replace(job, plan=replace(job.plan, tabs=0)))
            good = program_bytes(plan, motions(plan), "mm", (0.0, 0.0)).decode()
            loose = program_bytes(none, motions(none), "mm", (0.0, 0.0))
            (folder / "cut.nc").write_bytes(loose)
            _, report = _rehearsed(folder, "part.silhueta")
            tabs += any(one["code"] == "freed-early" for one in report["events"])  # type: ignore[attr-defined]
            crawl = re.sub(r"F([\d.]+)", lambda m: f"F{float(m[1]) / INCH:.3f}", good)
            (folder / "cut.nc").write_text(crawl)
            _, report = _rehearsed(folder, "part.silhueta")
            slow += any(one["code"] == "unit-suspect" for one in report["events"])  # type: ignore[attr-defined]
    return {
        f"found: tabs missing, of {many}": float(tabs),
        f"found: feed 25.4 times too slow, of {many}": float(slow),
    }


def off_by(count: int = 40) -> dict[str, float]:
    """Return how far the told deviation is from one that was put in: a kerf allowed for wrongly."""
    rng = np.random.default_rng(47)
    worst = 0.0
    with tempfile.TemporaryDirectory() as name:
        for _ in range(count):
            made = sheet(rng, "plasma")
            put = float(rng.uniform(0.01, 0.04))
            made.cuts[-1] = along(
                made.rim.buffer(WIDTH["plasma"] / 2 + put, quad_segs=64), -LEAD, "plasma"
            )
            # the rim's corner is the farthest place of a round joint: exactly what was put in
            _, report = told(Path(name), made)
            worst = max(worst, abs(report["deviation_beyond_radius_mm"] - put))  # type: ignore[operator]
    return {"a deviation of 0.01 to 0.04 mm that was put in, told wrongly by, mm": worst}


def many_moves(count: int = 100_000) -> dict[str, float]:
    """Return how long programs of so many moves take on a sheet of 1,200 x 600 mm, s and MiB."""
    rows: dict[str, float] = {}
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        _write(folder / "carved.nc", _carved(count))
        _write(folder / "torch.nc", _wheels(count))
        for what, process, tool in (
            ("carved", "router", ("--bit", "6mm")),
            ("torch", "plasma", ("--kerf", "1.2mm")),
        ):
            report = folder / "report.json"
            begin = time.perf_counter()
            ended = subprocess.run(
                [sys.executable, "-c", "from silhueta.cli import main; main()", "rehearse",
                 str(folder / f"{what}.nc"), "--process", process, *tool,
                 "--thickness", "18mm", "--report", str(report),
                 "--picture", str(folder / "out.png")],
                capture_output=True, text=True, check=False,
            )  # fmt: skip
            spent = time.perf_counter() - begin
            told_ = json.loads(report.read_text())
            rows[f"{count:,} moves, {what}, s with the picture"] = spent
            rows[f"{count:,} moves, {what}, times real time"] = told_["seconds"] / spent
            rows[f"{count:,} moves, {what}, exit code"] = float(ended.returncode)
        rows["most memory of both, MiB"] = (
            resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
        )
    return rows


def _write(target: Path, lines: list[str]) -> None:
    target.write_text("\n".join(lines) + "\n")


def _carved(count: int) -> list[str]:
    """Return waves over a board, in rows 3 mm apart, by so many straight moves."""
    lines = ["G21 G17 G90", "T1 M6", "S18000 M3", "G0 Z5"]
    rows = 190
    each = count // rows
    for row in range(rows):
        y = 10 + 3 * row
        x = np.linspace(10, 1190, each)
        x = x if row % 2 == 0 else x[::-1]
        z = -4 + 3 * np.sin(x / 17 + row / 9)
        lines += [f"G0 X{x[0]:.3f} Y{y}", f"G1 Z{z[0]:.3f} F600"]
        lines += [f"G1 X{u:.3f} Z{w:.3f} F2400" for u, w in zip(x[1:], z[1:], strict=True)]
        lines.append("G0 Z5")
    return [*lines, "M5", "M30"]


def _wheels(count: int) -> list[str]:
    """Return gear wheels on a sheet, cut by so many straight moves."""
    lines = ["G21 G17 G90"]
    for k in range(200):
        x, y = 30 + 59 * (k % 20), 30 + 58 * (k // 20)
        turn = np.linspace(0, 2 * math.pi, count // 200)
        radius = 20 + 2 * np.sin(24 * turn)
        u, v = x + radius * np.cos(turn), y + radius * np.sin(turn)
        lines += [f"G0 X{u[0] + 3:.3f} Y{v[0]:.3f}", "M3", "G4 P0.5"]
        lines += [f"G1 X{a:.3f} Y{b:.3f} F1800" for a, b in zip(u, v, strict=True)]
        lines.append("M5")
    return [*lines, "M30"]


def run(share: float = 1.0) -> dict[str, float]:
    """Return everything; `share` of the usual numbers."""

    def some(count: int) -> int:
        return max(2, round(count * share))

    return (
        sound(some(150)) | own(some(150)) | spoiled(some(280)) | held(some(10))
        | off_by(some(40)) | many_moves()
    )  # fmt: skip


if __name__ == "__main__":
    for name, value in run(float(sys.argv[1]) if len(sys.argv) > 1 else 1.0).items():
        print(f"{name}: {value:.4f}")
