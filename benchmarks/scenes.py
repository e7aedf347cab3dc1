"""How often the part in a photo is found, and how true: on pictures that share no code with ours.

The pictures, their truth and the score of an exported file come from a folder outside this
project, rendered in linear light by a camera, a light, a sensor and textures of their own:

    python -m benchmarks.scenes FOLDER [--told | --bare] [NAMES]

The folder holds ``truth.json``, the pictures, and ``score.py`` beside it or one folder up. Every
picture goes through the command line as a person would use it: told what a person knows (which
sheet, how thick), or with nothing but the picture and the thickness.

Words used here
    found    every loop there, none too many, 95 % of each within 3 px of the truth
    refused  exit 1 with a sentence
    wrong    a file was written, and the part in it is not found: the one thing that must not be
"""

from __future__ import annotations

import importlib.util
import json
import subprocess
import sys
import tempfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from types import ModuleType
from typing import Any

import numpy as np

LIMIT = 120  # s
_PX = 3.0


def main(arguments: list[str]) -> None:
    """Print a line a picture, and the totals."""
    flags = {a for a in arguments if a.startswith("--")}
    folder, *names = [a for a in arguments if not a.startswith("--")]
    rows = measured(Path(folder), names, bare="--bare" in flags)
    for row in rows:
        print(_line(row))
    for name, value in totals(rows).items():
        print(f"{name}: {value:.4g}")


def measured(folder: Path, names: list[str], bare: bool) -> list[dict[str, Any]]:
    """Return what came of each picture of a folder, two at a time."""
    score, truths = score_of(folder), truths_of(folder)
    chosen = [n for n in truths if not names or n in names]
    if bare:
        chosen = [n for n in chosen if truths[n].get("bare")]
    with ThreadPoolExecutor(2) as pool:
        return list(pool.map(lambda n: _one(folder, n, truths[n], score, bare), chosen))


def truths_of(folder: Path) -> dict[str, Any]:
    """Return what a folder says of its pictures, by their names."""
    truths: dict[str, Any] = json.loads((folder / "truth.json").read_text())
    scenes: dict[str, Any] = truths.get("scenes", truths)
    return scenes


def score_of(folder: Path) -> ModuleType:
    """Return the module that judges a folder's pictures: its own `score.py`, or the one above."""
    place = next(p for p in (folder / "score.py", folder.parent / "score.py") if p.exists())
    sys.path.insert(0, str(place.parent))
    spec = importlib.util.spec_from_file_location("score", place)
    assert spec is not None
    assert spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


def _one(
    folder: Path, name: str, truth: dict[str, Any], score: ModuleType, bare: bool
) -> dict[str, Any]:
    told = list(truth["args"])
    thickness = truth.get("thickness_mm") or 0
    if bare:
        told = ["--thickness", f"{thickness}mm"] if thickness else []
    program = Path(sys.executable).with_name("silhueta")
    with tempfile.TemporaryDirectory() as room:
        out = Path(room) / "out.dxf"
        call = [str(program), "trace", str(folder / truth["file"]), "-o", str(out), *told]
        try:
            done = subprocess.run(call, capture_output=True, text=True, timeout=LIMIT, check=False)
            code, said = done.returncode, (done.stderr.strip().splitlines() or [""])[-1]
        except subprocess.TimeoutExpired:
            code, said = -1, f"not done after {LIMIT} s"
        got = score.score(out, truth) if code == 0 and out.exists() else {}
    px = _PX / float(truth["px_per_mm"])
    whole = "mean_mm" in got and not got["missing"] and got["extra"] == 0 and got["open"] == 0
    found = bool(whole and got["p95_mm"] <= px)
    return {
        "name": name,
        "code": code,
        "said": said,
        "found": found,
        "flat": thickness == 0,
        "designer": got.get("designer_segments"),
        **got,
    }


def _line(row: dict[str, Any]) -> str:
    if row["code"] != 0:
        return f"{row['name']:18s} refused ({row['code']}): {row['said'][:110]}"
    if "mean_mm" not in row:
        return f"{row['name']:18s} WRONG: {row.get('error', '')}"
    state = "found" if row["found"] else "WRONG"
    hole = row["worst_diameter_error_mm"] or 0.0
    return (
        f"{row['name']:18s} {state} mean {row['mean_mm']:.3f} p95 {row['p95_mm']:.3f} mm, worst "
        f"hole {hole:+.3f} mm, {row['nodes']} nodes for {row['designer_segments']}, "
        f"{len(row['missing'])} loops missing, {row['extra']} too many"
    )


def totals(rows: list[dict[str, Any]]) -> dict[str, float]:
    """Return the figures of a folder."""
    found = [row for row in rows if row["found"]]
    means = [row["mean_mm"] for row in found]
    holes = [abs(row["worst_diameter_error_mm"] or 0.0) for row in found]
    ratios = [row["node_ratio"] for row in found]
    return {
        "pictures": float(len(rows)),
        "found": float(len(found)),
        "refused": float(sum(row["code"] != 0 for row in rows)),
        "wrong without a word": float(sum(row["code"] == 0 and not row["found"] for row in rows)),
        "mean distance of those found, median over pictures, mm": float(np.median(means or [0])),
        "worst hole's diameter of those found, median over pictures, mm": float(
            np.median(holes or [0])
        ),
        "segments over the designer's, median": float(np.median(ratios or [0])),
    }


if __name__ == "__main__":
    main(sys.argv[1:])
