"""Files made up for the purpose: single curves, kinds of DXF content, and very many shapes."""

from __future__ import annotations

import resource
import subprocess
import sys
import tempfile
import time
from io import BytesIO, StringIO
from pathlib import Path

import ezdxf
import numpy as np
import svgelements
from ezdxf import bbox
from ezdxf.document import Drawing
from ezdxf.render import forms

_CELL = 20.0  # mm, that each of many shapes has for itself


def _svg(size: float, body: str) -> str:
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" width="{size:.4f}mm" height="{size:.4f}mm" '
        f'viewBox="0 0 {size:.4f} {size:.4f}">{body}</svg>'
    )


def single_curves(count: int = 200, seed: int = 5) -> dict[str, float]:
    """Return how many of so many random curves, 0.3 to 4,000 mm, come out as DXF and SVG."""
    rng = np.random.default_rng(seed)
    done = 0
    with tempfile.TemporaryDirectory() as folder:
        for number in range(count):
            size = 10 ** rng.uniform(-0.5, 3.6)

            def to(many: int, size: float = size) -> str:
                return " ".join(f"{x:.3f},{y:.3f}" for x, y in rng.uniform(0, size, (many, 2)))

            arc = f"{rng.uniform(0.3, 1) * size:.3f} {rng.uniform(0.3, 1) * size:.3f}"
            drawn = (
                f"M{to(1)} C{to(3)} Z",
                f"M{to(1)} Q{to(2)} Z",
                f"M{to(1)} A{arc} {rng.uniform(0, 90):.1f} {number % 2} 1 {to(1)} Z",
                f"M{to(1)} C{to(3)}",
                f"M{to(1)} C{to(3)} S{to(2)} L{to(1)} Z",
            )[number % 5]
            paint = 'fill="none" stroke="#000"' if number % 5 == 3 else 'fill="#000"'
            source = Path(folder) / f"{number}.svg"
            source.write_text(_svg(size, f'<path {paint} d="{drawn}"/>'))
            out = [source.with_name(f"o{number}.{kind}") for kind in ("dxf", "svg")]
            _tidy(source, out)
            done += all(file.exists() for file in out)
    return {"curves": count, "written and proven as DXF and SVG": done}


def _tidy(source: Path, out: list[Path]) -> float:
    """Run `silhueta tidy` in a process of its own, and return the seconds it took."""
    start = time.perf_counter()
    targets = [word for file in out for word in ("-o", str(file))]
    subprocess.run(
        [
            sys.executable,
            "-c",
            "from silhueta.cli import main; main()",
            "tidy",
            str(source),
            *targets,
        ],
        check=False,
        capture_output=True,
    )
    return time.perf_counter() - start


def many_shapes(side: int = 141, corners: int = 15) -> dict[str, float]:
    """Return what tidying side² filled polygons costs, over svgelements' and ezdxf's own share."""
    rng = np.random.default_rng(0)
    shapes = []
    for row, column in np.ndindex(side, side):
        angle = np.sort(rng.uniform(0, 2 * np.pi, corners))
        round_ = np.column_stack([np.cos(angle), np.sin(angle)])
        shapes.append(
            (np.array([column, row]) + 0.5) * _CELL
            + rng.uniform(0.15, 0.4, (corners, 1)) * _CELL * round_
        )
    body = "".join(
        '<path d="M{} Z"/>'.format(" L".join(f"{x:.3f},{y:.3f}" for x, y in shape))
        for shape in shapes
    )
    text = _svg(side * _CELL, body)
    with tempfile.TemporaryDirectory() as folder:
        source = Path(folder) / "many.svg"
        source.write_text(text)
        ours = _tidy(source, [source.with_suffix(".dxf")])
    start = time.perf_counter()
    list(svgelements.SVG.parse(BytesIO(text.encode())).elements())
    document = ezdxf.new("R2000")
    for shape in shapes:
        document.modelspace().add_lwpolyline(shape, close=True)
    document.write(StringIO())
    theirs = time.perf_counter() - start
    peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
    return {
        "shapes": side * side,
        "segments": side * side * corners,
        "seconds": ours,
        "over svgelements' reading and ezdxf's writing of the same": ours / theirs,
        "memory, MiB": peak,
    }


def dxf_kinds(count: int = 60, seed: int = 3) -> dict[str, float]:
    """Return how many DXF files, written by ezdxf, come out as large as ezdxf says they are."""
    rng = np.random.default_rng(seed)
    done = alike = 0
    with tempfile.TemporaryDirectory() as folder:
        for number in range(count):
            version = ("R2000", "R2004", "R2007", "R2010", "R2013", "R2018")[number % 6]
            unit, factor = ((4, 1.0), (1, 25.4), (5, 10.0), (6, 1000.0), (0, 1.0))[number % 5]
            document = ezdxf.new(version)
            document.header["$INSUNITS"] = unit
            size = float(rng.uniform(20, 200)) / factor
            _drawn(document, number % 8, size)
            source = Path(folder) / f"{number}.dxf"
            if number % 3 == 2:
                with source.open("wb") as file:
                    document.write(file, fmt="bin")
            else:
                document.saveas(source)
            target = source.with_name(f"o{number}.dxf")
            _tidy(source, [target])
            if target.exists():
                done += 1
                want = np.array(_extent(document)) * factor
                got = np.array(_extent(ezdxf.readfile(target)))
                alike += bool(np.abs(want - got).max() < _ALIKE)
    return {"files": count, "written and proven": done, "as large as ezdxf says": alike}


_ALIKE = 0.06  # mm; ezdxf's own extents of curves are taken on chords


def _drawn(document: Drawing, kind: int, size: float) -> None:
    """Draw one thing in a document, of many kinds of entities."""
    space = document.modelspace()
    corners = [(0, 0), (size, 0), (size, size), (0, size)]
    if kind == 0:
        space.add_lwpolyline([(p.x, p.y) for p in forms.star(5, size, 0.4 * size)], close=True)
    elif kind == 1:
        for one, two in zip(corners, [*corners[1:], corners[0]], strict=True):
            space.add_line(one, two)
        space.add_circle((size / 2, size / 2), size / 5)
    elif kind == 2:
        for start, end in ((0, 90), (90, 270), (270, 360)):
            space.add_arc((0, 0), size, start, end)
    elif kind == 3:
        space.add_ellipse((0, 0), (size, 0.3 * size), 0.4)
    elif kind == 4:
        space.add_spline([*corners, corners[0]])
    elif kind == 5:
        block = document.blocks.new("B")
        block.add_circle((0, 0), size / 4)
        block.add_lwpolyline([(0, 0, 0.5), (size, 0, 0), (size, size, -0.3)], "xyb", close=True)
        turned = {"xscale": -1, "rotation": 33}
        space.add_blockref("B", (0, 0), dxfattribs=turned)
        space.add_blockref("B", (4 * size, 0), dxfattribs={"xscale": 2, "yscale": 2})
    elif kind == 6:
        space.add_hatch().paths.add_polyline_path(corners, is_closed=True)
        space.add_lwpolyline(corners, close=True)
    else:
        space.add_circle((0, 0), size, dxfattribs={"extrusion": (0, 0, -1)})


def _extent(document: Drawing) -> tuple[float, float]:
    box = bbox.extents(document.modelspace(), fast=False)
    return box.size.x, box.size.y
