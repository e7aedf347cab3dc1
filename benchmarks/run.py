"""Measure everything and write docs/figures.md."""

from __future__ import annotations

import os
import platform
import sys
from datetime import date
from importlib.metadata import version
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from benchmarks.accuracy import run
from benchmarks.photos import accuracy, finding, honesty
from benchmarks.photos import speed as photo_speed
from benchmarks.speed import trace_ratio, window_ratio

TARGET = Path(__file__).parent.parent / "docs" / "figures.md"


def main(scenes: int = 200) -> None:
    """Write the table, from so many random scenes (about ten seconds each)."""
    parts = {
        "Speed, 12-megapixel grey picture (wanted: ratio at most 6)": trace_ratio(),
        "Window shown (wanted: ratio at most 2.5)": window_ratio(),
        "Accuracy, glyphs and workshop shapes at 640 px (wanted: mean <= 0.06, largest <= 0.8, "
        "segments <= 1.6, medians)": run(640),
        "Photos, 12 megapixels, worst of three tilts up to 20 degrees (wanted, mm: sheet 0.10, "
        "with 3 mm 0.15, with lens 0.30, gauge sheet with lens 0.12, length 0.40; mean distance "
        "0.02 flat, 0.10 else)": accuracy(),
        "Photos, 24 megapixels: file to rectified picture (wanted: ratio at most 4)": photo_speed(),
        "Photos: found without help (wanted: 95 %, none wrong but sure)": finding(scenes)
        | finding(scenes // 2, "gauge"),
        "Photos: the true error inside two standard uncertainties (wanted: 90 to 99 %)": honesty(
            scenes
        ),
    }
    names = ("numpy", "numba", "opencv-python-headless", "scikit-image", "PySide6_Essentials")
    packages = ", ".join(f"{name} {version(name)}" for name in names)
    lines = [
        "# Figures",
        "",
        f"Measured {date.today()} on Python {platform.python_version()}, {packages}.",
    ]
    for title, rows in parts.items():
        lines += ["", f"## {title}", "", "| what | figure |", "| --- | --- |"]
        lines += [f"| {name} | {value:.4g} |" for name, value in rows.items()]
    TARGET.write_text("\n".join(lines) + "\n")
    print("\n".join(lines))


if __name__ == "__main__":
    main(*map(int, sys.argv[1:2]))
