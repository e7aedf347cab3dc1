"""Measure everything and write docs/figures.md."""

from __future__ import annotations

import os
import platform
from datetime import date
from importlib.metadata import version
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from benchmarks.accuracy import run
from benchmarks.speed import trace_ratio, window_ratio

TARGET = Path(__file__).parent.parent / "docs" / "figures.md"


def main() -> None:
    """Write the table."""
    parts = {
        "Speed, 12-megapixel grey picture (wanted: ratio at most 6)": trace_ratio(),
        "Window shown (wanted: ratio at most 2.5)": window_ratio(),
        "Accuracy, glyphs and workshop shapes at 640 px (wanted: mean <= 0.06, largest <= 0.8, "
        "segments <= 1.6, medians)": run(640),
    }
    names = ("numpy", "numba", "scikit-image", "PySide6_Essentials")
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
    main()
