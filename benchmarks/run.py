"""Measure everything and write docs/figures.md."""

from __future__ import annotations

import os
import platform
import sys
from collections.abc import Callable
from datetime import date
from importlib.metadata import version
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from benchmarks.accuracy import monotone
from benchmarks.baselines import run as baselines
from benchmarks.building import offsets, panels, stencils
from benchmarks.clipart import opened
from benchmarks.door import run as traced
from benchmarks.faults import run as faults
from benchmarks.files import dxf_kinds, many_shapes, single_curves
from benchmarks.kept import run as kept
from benchmarks.leaves import as_cut_areas, as_cut_forms, web_forms, web_glyphs
from benchmarks.leaves import speed as inspect_speed
from benchmarks.outputs import run as outputs
from benchmarks.photos import finding, honesty
from benchmarks.photos import speed as photo_speed
from benchmarks.pictures import nodes
from benchmarks.plans import run as plans
from benchmarks.regions import right
from benchmarks.regions import speed as region_speed
from benchmarks.rehearsals import run as rehearsals
from benchmarks.scenes import measured, totals
from benchmarks.speed import noisy_ratio, trace_ratio, window_ratio
from benchmarks.tidying import cleaning, handling, thinning
from benchmarks.tracing import drag, growth, memory, pen_line
from benchmarks.truing import run as truing
from benchmarks.truing import told as truing_told

TARGET = Path(__file__).parent.parent / "docs" / "figures.md"


Rows = dict[str, float]


def main(scenes: int = 200, only: str = "") -> None:
    """Write the table, from so many random scenes (about ten seconds each).

    `only`: measure the parts whose titles hold this word, and leave the others as they stand.
    """
    parts: dict[str, Callable[[], Rows]] = {
        "Regions: 1,000 pairs of outlines against GEOS (wanted: areas to 1e-6)": right,
        "Regions: two outlines of 20,000 segments (wanted: ratio at most 4)": region_speed,
        "Clip art: 300 SVG files (wanted: under 2 % refused, 97 % as they look, none over 10 s)": (
            opened
        ),
        "Single curves: 200 SVG files (wanted: all written)": single_curves,
        "Kinds of DXF content: 60 files by ezdxf (wanted: all)": dxf_kinds,
        "Many shapes: 20,000 of 15 segments (wanted: 15 s, 1 GiB)": many_shapes,
        "Ordinary pictures: scikit-image's nineteen (wanted: no crossing, none raw)": nodes,
        "Stencils: 200 words (wanted: no island, ties as wide as asked, under 6 %)": stencils,
        "Sections: 50 panels (wanted: 1e-6 mm², each fits, clear of holes)": panels,
        "Offset of 10,000 segments (wanted: ratio at most 3)": offsets,
        "Inspect: 300 parts with faults planted (wanted: all found, under 2 % false)": faults,
        "Cut plans (wanted: as docs/figures.md says)": plans,
        "Rehearsals (wanted: each of 300 mistakes found, none in 300 good files, 0.02 mm, 5 %, "
        "100,000 moves in 20 s and 1,024 MiB)": rehearsals,
        "Kept (wanted: at most 3 s lost in 300 kills, nothing in 100 power cuts; 20,000 steps "
        "under 1,024 MiB, opened in 3 s; 5,000 jobs searched in 50 ms)": kept,
        "What leaves the program (wanted: as docs/figures.md says)": outputs,
        "Webs, closed forms (wanted: 0.01 mm)": web_forms,
        "Webs of 100 glyphs against a raster (wanted: 0.01 mm)": web_glyphs,
        "As cut, against GEOS (wanted: 0.1 %)": as_cut_areas,
        "As cut, closed forms (wanted: 1e-6)": as_cut_forms,
        "Inspect: 10,000 segments (wanted: 0.5 s, 0.05 s after a node moved)": inspect_speed,
        "Speed, 12-megapixel grey picture (wanted: ratio at most 2)": trace_ratio,
        "The same with noise, 60 discs and boxes (wanted: at most 6)": noisy_ratio,
        "Growth (wanted: 48 over 12 megapixels at most 4.2, slope at most 1.15)": growth,
        "Memory (wanted: at most 16 bytes a pixel)": memory,
        "Threshold dragged on 24 megapixels (wanted: at most 33 ms, ratio at most 4)": drag,
        "Pen line of 0.7 mm at 300 dpi, dust, a break of 1.5 mm (wanted: one closed line within "
        "0.08 mm)": pen_line,
        "Window shown (wanted: ratio at most 2.5)": window_ratio,
        "Accuracy, glyphs, icons and workshop shapes at 640 px (wanted: mean 0.03, largest 0.45, "
        "90 % of the largest 1.0, segments 1.15, 90 % 1.7)": lambda: traced(640),
        "The same at 160 px (wanted: mean 0.08)": lambda: traced(160),
        "The same with noise of 12 grey levels and JPEG quality 50 (wanted: mean 0.10, segments "
        "1.4)": lambda: traced(640, (), "noise jpeg"),
        "60 pictures, 8 tolerances (wanted: none with more segments for a looser one)": monotone,
        "Baselines on the same pictures at 640 px: contour, then polygon at half a pixel": (
            lambda: baselines(640)
        ),
        "Photos, 24 megapixels: file to rectified picture (wanted: ratio at most 4)": photo_speed,
        "Photos: found without help (wanted: 95 %, none wrong but sure)": lambda: (
            finding(scenes) | finding(scenes // 2, "gauge")
        ),
        "Photos: the true error inside two standard uncertainties (wanted: 90 to 99 %)": lambda: (
            honesty(scenes) | honesty(scenes // 2, told=False)
        ),
        "True up: random parts drawn by code of its own": lambda: (
            truing(scenes) | truing_told(scenes)
        ),
        "Tidying: 200 damaged outlines (wanted: 98 % as they were within 0.1 mm, none wrong in "
        "silence)": cleaning,
        "Thinning 100,000 nodes to 0.1 mm (wanted: ratio at most 1.5, never a crossing)": thinning,
        "The hand on 100,000 nodes (wanted: pan and zoom 16 ms or ratio 1.5, hit-test 1 ms, drag "
        "16 ms)": handling,
    }
    for folder in os.environ.get("SILHUETA_PHOTOS", "").split(os.pathsep):
        if folder:
            place = Path(folder)
            for bare in (False, True):
                how = "nothing but picture and thickness" if bare else "told what a person knows"
                title = f"Photos of others, {place.name}, {how} (wanted: wrong without a word 0)"
                parts[title] = lambda f=place, b=bare: totals(measured(f, [], b))
    names = ("numpy", "numba", "opencv-python-headless", "scikit-image", "PySide6_Essentials")
    packages = ", ".join(f"{name} {version(name)}" for name in names)
    made = f"Measured {date.today()} on Python {platform.python_version()}, {packages}."
    lines = ["# Figures", "", made]
    for title, measure in parts.items():
        if only.lower() in title.lower():
            lines += ["", f"## {title}", "", "| what | figure |", "| --- | --- |"]
            lines += [f"| {name} | {value:.4g} |" for name, value in measure().items()]
    if not only:
        TARGET.write_text("\n".join(lines) + "\n")
    print("\n".join(lines))


if __name__ == "__main__":
    main(int((sys.argv[1:2] or ["200"])[0]), *sys.argv[2:3])
