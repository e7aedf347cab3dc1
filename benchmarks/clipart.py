"""Other people's SVG files: what comes out against the picture that a renderer makes of them.

The files are those of Debian's package openclipart-svg, fetched and unpacked, never kept. The judge
is resvg, which draws the file 1000 px long; edges are where it changes its colour.
"""

from __future__ import annotations

import io
import re
import subprocess
import tempfile
import time
from collections.abc import Sequence
from multiprocessing import Pool
from pathlib import Path as File
from typing import NamedTuple
from xml.etree import ElementTree

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from silhueta.core.errors import SilhuetaError
from silhueta.core.files.drawing_open import on_page
from silhueta.core.files.svg_read import read_svg
from silhueta.core.geometry.crossing import crossings
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.outline import Outline

PACKAGE = "openclipart-svg"
LONG = 1000  # px
_CLEAR, _FAINT = 40, 8  # of 255, that a colour changes by at an edge that must, and may be there
_WITHIN = 2  # px
# what is no outline, or has no one colour: then lines and edges are not the same thing
UNFAIR = re.compile(
    rb"<(image|filter|mask|pattern|foreignObject|text|flowRoot)\b|opacity[=:]\"?0?\."
)
GRADIENT = re.compile(rb"url\(#")


class Judged(NamedTuple):
    """What became of one file.

    refused : the sentence, or "".
    missing, invented : share of visible edges
    fair : whether these can be held against the file.
    """

    name: str
    refused: str
    seconds: float
    missing: float
    invented: float
    crossings: int
    open_paths: int
    fair: bool


def files(count: int = 300, seed: int = 1) -> list[File]:
    """Return so many files of the package, unpacked in a folder of the system's own."""
    folder = File(tempfile.gettempdir()) / "clipart"
    if not any(folder.rglob("*.svg")):
        folder.mkdir(exist_ok=True)
        subprocess.run(["apt-get", "download", PACKAGE], cwd=folder, check=True)
        (package,) = folder.glob("*.deb")
        subprocess.run(["dpkg-deb", "-x", package.name, "."], cwd=folder, check=True)
    every = sorted(folder.rglob("*.svg"))
    chosen = np.random.default_rng(seed).permutation(len(every))[:count]
    return [every[i] for i in sorted(chosen.tolist())]


def opened(count: int = 300) -> dict[str, float]:
    """Return how many files are refused, look as they should, and how long they take."""
    with Pool() as pool:
        rows = pool.map(judged, files(count), chunksize=1)
    read = [row for row in rows if not row.refused]
    fair = [row for row in read if row.fair]
    seconds = sorted(row.seconds for row in read)
    return {
        "refused": len(rows) - len(read),
        "held against the picture": len(fair),
        "of these at most 0.5 % of visible edges missing or invented": sum(
            max(row.missing, row.invented) <= 0.005 for row in fair
        ),
        "with crossings left": sum(row.crossings > 0 for row in read),
        "median s": seconds[len(seconds) // 2],
        "longest s": seconds[-1],
    }


def judged(file: File) -> Judged:
    """Return what becomes of a file that is opened as it looks, broad strokes by their outline."""
    data = file.read_bytes()
    start = time.perf_counter()
    try:
        drawing = read_svg(data, file.name)
        outline, page, _ = on_page(drawing, broader=0.0)
        seconds = time.perf_counter() - start
    except SilhuetaError as error:
        return Judged(file.name, str(error), time.perf_counter() - start, 0, 0, 0, 0, True)
    picture = rendered(data)
    fair = not (UNFAIR.search(data) or GRADIENT.search(data)) and picture is not None
    missing = invented = 0.0
    if picture is not None and page is not None and outline.contours:
        missing, invented = compared(picture, outline, page)
    elif picture is not None and edges(picture, _CLEAR).any():
        missing = 1.0
    closed = [c.path for c in outline.contours if c.path.closed]
    crossed = (
        len(crossings(closed, 0.01, 1000)) if len({c.colour for c in outline.contours}) == 1 else 0
    )
    return Judged(
        file.name,
        "",
        seconds,
        missing,
        invented,
        crossed,
        sum(not c.path.closed for c in outline.contours),
        fair,
    )


def rendered(data: bytes) -> NDArray[np.uint8] | None:
    """Return the picture of an SVG on white, (H, W, 3), `LONG` px wide; None if resvg cannot."""
    import resvg_py

    try:
        png = resvg_py.svg_to_bytes(svg_string=_as_wide(data), dpi=96)
        picture = Image.open(io.BytesIO(bytes(png))).convert("RGBA")
    except Exception:
        return None
    if max(picture.size) > 4 * LONG:
        return None
    white = Image.new("RGBA", picture.size, "white")
    return np.asarray(Image.alpha_composite(white, picture).convert("RGB"))


def page_px(root: ElementTree.Element) -> tuple[float, float]:
    """Return width and height of an SVG's page, px of 1/96 inch; ValueError: it says none."""
    px = {"": 1.0, "px": 1.0, "pt": 4 / 3, "mm": 96 / 25.4, "cm": 96 / 2.54, "in": 96.0}
    sizes = []
    for key in ("width", "height"):
        found = re.fullmatch(r"\s*([\d.]+)\s*(px|pt|mm|cm|in|)\s*", root.get(key) or "")
        box = (root.get("viewBox") or "").replace(",", " ").split()
        if found:
            sizes.append(float(found[1]) * px[found[2]])
        elif len(box) == 4:
            sizes.append(float(box[2 + (key == "height")]))
    wide, high = sizes
    return wide, high


def _as_wide(data: bytes) -> str:
    """Return the file with a page `LONG` px wide: resvg's own scaling rounds pages to whole px."""
    root = ElementTree.fromstring(data)
    wide, high = page_px(root)
    if root.get("viewBox") is None:
        root.set("viewBox", f"0 0 {wide} {high}")
    root.set("width", str(LONG))
    root.set("height", repr(LONG * high / wide))
    return ElementTree.tostring(root, encoding="unicode")


def edges(picture: NDArray[np.uint8], least: float) -> NDArray[np.bool_]:
    """Return where the colour changes by so much to the right or below."""
    seen = picture.astype(np.int16)
    found = np.zeros(picture.shape[:2], np.bool_)
    found[:, :-1] = np.abs(np.diff(seen, axis=1)).max(2) >= least
    found[:-1] |= np.abs(np.diff(seen, axis=0)).max(2) >= least
    return found


def compared(
    picture: NDArray[np.uint8], outline: Outline, page: tuple[float, float, float, float]
) -> tuple[float, float]:
    """Return the shares of visible edges that no line follows, and of lines that follow none."""
    chord = 0.2 * (page[2] - page[0]) / picture.shape[1]
    lines = []
    for contour in outline.contours:
        points = flatten(contour.path, chord)
        lines.append(np.vstack([points, points[:1]]) if contour.path.closed else points)
    return held(picture, lines, (page[2] - page[0], page[3] - page[1]))


def held(
    picture: NDArray[np.uint8], polylines: Sequence[NDArray[np.float64]], page: tuple[float, float]
) -> tuple[float, float]:
    """Return the shares of visible edges that no line follows, and of lines that follow none.

    polylines : of (N, 2), in the page's unit, y up from its lower left
    page : width and height
    """
    high, wide = picture.shape[:2]
    scale = wide / page[0]
    lines = np.zeros((high, wide), np.uint8)
    for points in polylines:
        px = np.column_stack([points[:, 0] * scale, (page[1] - points[:, 1]) * scale]) - 0.5
        px = np.clip(px, -4 * LONG, 4 * LONG)
        cv2.polylines(lines, [np.round(px * 16).astype(np.int32)[:, None]], False, 255, 1, shift=4)
    lines[:3], lines[-3:], lines[:, :3], lines[:, -3:] = 0, 0, 0, 0
    disc = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * _WITHIN + 1,) * 2)

    def beyond(some: NDArray[np.bool_], other: NDArray[np.bool_]) -> float:
        near = cv2.dilate(other.astype(np.uint8), disc) > 0
        inner = some.copy()
        inner[:6], inner[-6:], inner[:, :6], inner[:, -6:] = False, False, False, False
        return float((inner & ~near).sum() / max(inner.sum(), 1))

    drawn = lines > 0
    return beyond(edges(picture, _CLEAR), drawn), beyond(drawn, edges(picture, _FAINT))
