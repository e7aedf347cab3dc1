"""Other people's SVG files through `silhueta tidy` and the window's "take all", against resvg.

Nothing is said but the file: default options, and `--origin picture` so that the page tells where
things lie. Strokes are taken by their middle, so the judge draws them as hair lines; what comes out
is read by ezdxf, which flattens arcs itself.
"""

from __future__ import annotations

import re
import subprocess
import sys
import tempfile
from multiprocessing import Pool
from pathlib import Path as File
from typing import NamedTuple
from xml.etree import ElementTree

import ezdxf
import numpy as np
from numpy.typing import NDArray

from benchmarks.clipart import GRADIENT, LONG, UNFAIR, edges, files, held, page_px, rendered

_HAIR = 1.2  # px of 1000, that a stroke is drawn wide


class Row(NamedTuple):
    """What became of one file: a sentence or "", what was said, shares of visible edges."""

    name: str
    refused: str
    said: str
    missing: float
    invented: float
    fair: bool


def judged(file: File) -> Row:
    """Return what `silhueta tidy FILE -o OUT` makes of a file."""
    data = file.read_bytes()
    fair = not (UNFAIR.search(data) or GRADIENT.search(data))
    with tempfile.TemporaryDirectory() as folder:
        out = File(folder) / "out.dxf"
        done = subprocess.run(
            [sys.executable, "-c", "from silhueta.cli import main; main()", "tidy", str(file)]
            + ["-o", str(out), "--origin", "picture", "--many"],
            capture_output=True,
            text=True,
            check=False,
        )
        said = done.stderr.strip()
        try:
            picture = rendered(haired(data))
        except (ValueError, ElementTree.ParseError):
            picture = None
        fair = fair and picture is not None and bool(edges(picture, 40).any())
        if done.returncode or picture is None:
            return Row(file.name, said if done.returncode else "", said, 0, 0, fair)
        page = page_px(ElementTree.fromstring(data))
        mm = (page[0] * 25.4 / 96, page[1] * 25.4 / 96)
        missing, invented = held(picture, polylines(out, 0.1 * mm[0] / LONG), mm)
    return Row(file.name, "", said, missing, invented, fair)


def haired(data: bytes) -> bytes:
    """Return the file with every stroke drawn as a hair line, whatever its transform."""
    root = ElementTree.fromstring(data)
    box = (root.get("viewBox") or "").replace(",", " ").split()
    wide = float(box[2]) if len(box) == 4 else page_px(root)[0]

    def walk(element: ElementTree.Element, scale: float) -> None:
        own = scale * _scale_of(element.get("transform") or "")
        style = element.get("style")
        if style:
            element.set("style", re.sub(r"stroke-width\s*:[^;]*;?", "", style))
        element.set("stroke-width", repr(_HAIR * wide / LONG / max(own, 1e-9)))
        for child in element:
            walk(child, own)

    walk(root, 1.0)
    return ElementTree.tostring(root)


def _scale_of(text: str) -> float:
    """Return by how much a transform makes lengths longer, the mean of both ways."""
    size = 1.0
    for name, inner in re.findall(r"(\w+)\s*\(([^)]*)\)", text):
        values = [float(v) for v in re.findall(r"[-+]?(?:\d*\.\d+|\d+)(?:[eE][-+]?\d+)?", inner)]
        if name == "matrix" and len(values) == 6:
            size *= abs(values[0] * values[3] - values[1] * values[2]) ** 0.5
        elif name == "scale" and values:
            size *= abs(values[0] * values[-1]) ** 0.5
    return size


def polylines(file: File, chord: float) -> list[NDArray[np.float64]]:
    """Return the lines of a DXF as ezdxf flattens them, each (N, 2) in the file's unit."""
    found = []
    for entity in ezdxf.readfile(file).modelspace():
        parts = [entity]
        if entity.dxftype() in ("LWPOLYLINE", "POLYLINE"):
            parts = list(entity.virtual_entities())
        for part in parts:
            if part.dxftype() == "LINE":
                found.append(np.array([part.dxf.start, part.dxf.end])[:, :2])
            else:
                found.append(np.array([tuple(p)[:2] for p in part.flattening(chord)]))
    return found


def run(count: int = 300) -> dict[str, float]:
    """Print what is beyond the limit, and return the shares."""
    with Pool() as pool:
        rows = pool.map(judged, files(count), chunksize=1)
    for row in rows:
        far = max(row.missing, row.invented)
        if row.fair and (row.refused or far > 0.005):
            print(f"{row.name:50s} {row.missing:.3f} {row.invented:.3f} {row.refused} | {row.said}")
    fair = [row for row in rows if row.fair]
    good = [row for row in fair if not row.refused and max(row.missing, row.invented) <= 0.005]
    return {
        "files": len(rows),
        "refused": sum(bool(row.refused) for row in rows),
        "held against the picture": len(fair),
        "of these at most 0.5 % of visible edges missing or invented": len(good),
        "share": len(good) / max(len(fair), 1),
    }


if __name__ == "__main__":
    print(run(int(sys.argv[1]) if len(sys.argv) > 1 else 300))
