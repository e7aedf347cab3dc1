"""Graphics through the command line, as a person would trace them; a refusal is a failure.

    python -m benchmarks.door [SIDE] [OPTIONS of silhueta trace ...]

The shapes of benchmarks.shapes as clean PNGs, one px taken for 0.1 mm, and nothing said but that
and what is given here. What comes out is read from the DXF by ezdxf.
"""

from __future__ import annotations

import sys
import tempfile
from functools import partial
from multiprocessing import Pool
from pathlib import Path
from typing import Any

import ezdxf
import numpy as np
from PIL import Image
from scipy.spatial import cKDTree

from benchmarks.accuracy import dense, segment_count, spoilt
from benchmarks.called import called
from benchmarks.shapes import every_shape, picture, placed

_MM = 0.1  # of a px


def traced(name: str, side: int, options: tuple[str, ...], spoil: str = "") -> dict[str, Any]:
    """Return what comes of one shape: px from the truth both ways, segments over the designer's."""
    true = placed(every_shape()[name], side)
    with tempfile.TemporaryDirectory() as folder:
        file, out = Path(folder) / "a.png", Path(folder) / "a.dxf"
        Image.fromarray(spoilt(picture(true, side), spoil)).save(file)
        given = ["-o", str(out), "--pixel-size", f"{_MM}mm", "--origin", "picture", *options]
        code, said = called("trace", str(file), *given)
        if code:
            return {"name": name, "refused": said}
        points, segments, loops = _read(out)
    truth = np.vstack([dense(loop) for loop in true])
    there, back = cKDTree(points).query(truth)[0], cKDTree(truth).query(points)[0]
    return {
        "name": name,
        "mean": float(there.mean() + back.mean()) / 2,
        "largest": float(max(there.max(), back.max())),
        "at": truth[there.argmax()] if there.max() > back.max() else points[back.argmax()],
        "segments": segments / segment_count(true),
        "loops": abs(loops - len(true)),
        "said": said,
    }


def _read(out: Path) -> tuple[np.ndarray, int, int]:
    """Return points along all lines of a DXF, px with y up, and how many segments and loops."""
    places, segments, loops = [], 0, 0
    for entity in ezdxf.readfile(out).modelspace():
        loops += 1
        if entity.dxftype() == "CIRCLE":
            parts = [entity]
        else:
            parts = list(entity.virtual_entities())
        segments += len(parts)
        for part in parts:
            if part.dxftype() == "LINE":
                ends = np.array([part.dxf.start, part.dxf.end])[:, :2]
            else:
                ends = np.array([tuple(p)[:2] for p in part.flattening(0.0005)])
            long = np.hypot(*np.diff(ends, axis=0).T)
            for a, b, way in zip(ends[:-1], ends[1:], long, strict=True):
                share = np.linspace(0, 1, max(2, int(way / (0.1 * _MM)) + 1))[:, None]
                places.append(a + share * (b - a))
    return np.vstack(places) / _MM, segments, loops


def run(side: int = 640, options: tuple[str, ...] = (), spoil: str = "") -> dict[str, float]:
    """Print refusals and the farthest, and return the figures over every shape."""
    with Pool() as pool:
        one = partial(traced, side=side, options=options, spoil=spoil)
        rows = pool.map(one, every_shape(), chunksize=4)
    good = [row for row in rows if "refused" not in row]
    for row in rows:
        if "refused" in row:
            print(row["name"], row["refused"])
        elif row["largest"] > 4 or row["loops"]:
            print(row["name"], f"{row['largest']:.1f} px at", np.round(row["at"]), row["loops"])
    mean, largest, segments = (
        np.array([row[key] for row in good]) for key in ("mean", "largest", "segments")
    )
    return {
        "shapes": len(rows),
        "refused": len(rows) - len(good),
        "mean deviation px, median": float(np.median(mean)),
        "largest deviation px, median": float(np.median(largest)),
        "largest deviation px, 90 %": float(np.percentile(largest, 90)),
        "largest deviation px, worst": float(largest.max()),
        "segment ratio, median": float(np.median(segments)),
        "segment ratio, 90 %": float(np.percentile(segments, 90)),
        "lost or invented loops": sum(row["loops"] for row in good),
    }


if __name__ == "__main__":
    first = sys.argv[1:2] if sys.argv[1:2] and sys.argv[1].isdigit() else []
    given = tuple(sys.argv[1 + len(first) :])
    for key, value in run(int(first[0]) if first else 640, given).items():
        print(f"{key:40} {value:.4g}")
