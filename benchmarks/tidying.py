"""Tidying: damaged outlines made whole again, and what thinning costs."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

import numpy as np
import shapely

from benchmarks.shapes import every_shape, placed
from silhueta.core.geometry.crossing import crossings
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import bounding_box, length
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, Path, circle_loop, reverse
from silhueta.core.geometry.pieces import place_of, stretch
from silhueta.core.geometry.transform import transform
from silhueta.core.tidy.offers.kinds import take_all
from silhueta.core.tidy.offers.offer import Frame, Limits
from silhueta.core.tidy.offers.thin import thinned

if TYPE_CHECKING:
    from PySide6.QtGui import QImage, QPainterPath

    from silhueta.app.table.table import Table
    from silhueta.app.window import Window
    from silhueta.core.geometry.path import Floats

_SIDE = 200  # mm
_WITHIN = 0.1  # mm
_SHORTEST = 3.0  # mm, of the pieces of a loop that is cut


def damaged(loops: list[Loop], seed: int) -> tuple[Outline, Frame]:
    """Return an outline with its loops cut, doubled, among specks, in a page's frame.

    Gaps are 0.05 to 0.4 mm wide, doubles up to 0.08 mm off, specks up to 0.8 mm across.
    """
    rng = np.random.default_rng(seed)
    paths: list[Path] = []
    for loop in loops:
        paths += _cut(loop, rng) if rng.random() < 0.7 and length(loop) > 2 * _SHORTEST else [loop]
        if rng.random() < 0.4:
            angle = rng.uniform(0, 2 * np.pi)
            off = rng.uniform(0, 0.08) * np.array([np.cos(angle), np.sin(angle)])
            twin = transform(loop, np.eye(2), off)
            assert isinstance(twin, Loop)
            paths += _cut(twin, rng) if rng.random() < 0.5 else [twin]
    left, bottom, right, top = bounding_box(loops)
    page = (left - 12.0, bottom - 12.0, right + 12.0, top + 12.0)
    for _ in range(int(rng.integers(5, 40))):
        at = rng.uniform(page[:2], page[2:])
        paths.append(circle_loop(at, rng.uniform(0.05, 0.4)))
    if rng.random() < 0.7:
        a, b, c, d = page
        paths.append(Loop(np.array([[a, b], [c, b], [c, d], [a, d]])))
    rng.shuffle(paths)  # type: ignore[arg-type]
    return Outline(tuple(Contour(path, origin="imported") for path in paths)), page


def _cut(loop: Loop, rng: np.random.Generator) -> list[Path]:
    """Return a loop in pieces, some of them run backwards."""
    points = flatten(loop, 0.01)
    whole = length(loop)
    ring = shapely.LinearRing(points)
    count = int(rng.integers(1, 5))
    starts = np.sort(rng.uniform(0, whole, count))
    if np.diff(np.append(starts, starts[0] + whole)).min() < _SHORTEST:
        starts, count = starts[:1], 1  # a piece shorter than that is dust to anybody
    gaps = rng.uniform(0.05, 0.4, count)
    pieces: list[Path] = []
    for k in range(count):
        begin = starts[k] + gaps[k]
        end = starts[(k + 1) % count] + (whole if k == count - 1 else 0.0)
        ends = [
            np.array(shapely.line_interpolate_point(ring, at % ring.length).coords[0])
            for at in (begin, end)
        ]
        piece = stretch(loop, *(place_of(loop, at) for at in ends))
        pieces.append(reverse(piece) if rng.random() < 0.5 else piece)
    return pieces


def cleaning(count: int = 200) -> dict[str, float]:
    """Return how many damaged outlines come out as they were, and how many wrong in silence."""
    shapes = list(every_shape().values())
    whole = silent = 0
    for number in range(count):
        loops = placed(shapes[(7 * number) % len(shapes)], _SIDE, margin=5)
        outline, page = damaged(loops, number)
        made, *_ = take_all(outline, Limits(tolerance=0.02), page)
        right = same(loops, made)
        whole += right
        silent += not right and not told(made)
    return {
        "damaged outlines": count,
        f"as they were within {_WITHIN:g} mm, %": 100 * whole / count,
        "wrong, and nothing says so": silent,
    }


def same(loops: list[Loop], made: Outline) -> bool:
    """Return whether an outline's cut loops are `loops` again, no more and no less."""
    taken = made.taken
    if len(taken) != len(loops) or not all(path.closed for path in taken):
        return False
    rings = [shapely.LinearRing(flatten(path, 0.005)) for path in taken]
    for loop in loops:
        ring = shapely.LinearRing(flatten(loop, 0.005))
        best = min(rings, key=lambda other: shapely.hausdorff_distance(ring, other))
        if shapely.hausdorff_distance(ring, best, densify=0.05) > _WITHIN:
            return False
    return True


def told(made: Outline) -> bool:
    """Return whether something in the outline shows that it is not whole."""
    taken = made.taken
    return any(not path.closed for path in taken) or bool(len(crossings(taken)))


def thinning(nodes: int = 100_000) -> dict[str, float]:
    """Return what thinning a wavy outline to 0.1 mm costs and gives, with and without noise."""
    found = {}
    angle = np.linspace(0, 2 * np.pi, nodes, endpoint=False)
    radius = 1000 * (1 + 0.2 * np.cos(5 * angle) + 0.05 * np.cos(40 * angle))
    smooth = radius[:, None] * np.column_stack([np.cos(angle), np.sin(angle)])
    rng = np.random.default_rng(1)
    thinned(Loop(smooth[::100]), 0.1)  # compiles
    for name, noise in (("smooth", 0.0), ("ragged", 0.02)):
        points = smooth + rng.normal(0, noise, smooth.shape) if noise else smooth
        polygon, loop = shapely.Polygon(points), Loop(points)
        theirs = ours = np.inf
        for _ in range(3):  # the shortest of each: these machines are noisy
            start = time.perf_counter()
            simple = polygon.simplify(0.1)
            theirs = min(theirs, time.perf_counter() - start)
            start = time.perf_counter()
            made = thinned(loop, 0.1)
            ours = min(ours, time.perf_counter() - start)
        off = shapely.hausdorff_distance(
            polygon.exterior, shapely.LinearRing(flatten(made.path, 0.001))
        )
        found |= {
            f"{name}: time / ten times shapely's simplify": ours / theirs / 10,
            f"{name}: nodes left": len(made.path.nodes),
            f"{name}: nodes that simplify leaves": len(simple.exterior.coords) - 1,
            f"{name}: largest deviation, mm": off,
            f"{name}: crossings": len(crossings([made.path])),
        }
    return found


def handling(nodes: int = 100_000, loops: int = 5_000) -> dict[str, float]:
    """Return what the hand waits for on a large outline, ms at the 95th percentile."""
    from PySide6.QtCore import QPointF
    from PySide6.QtGui import QImage

    from silhueta.app.main import application
    from silhueta.app.table.node_tool import NodeTool
    from silhueta.app.table.outline_layer import painter_path
    from silhueta.app.window import Window
    from silhueta.core.job import Job, set_imported
    from silhueta.core.tidy.index import Index
    from silhueta.core.tidy.node_edits import move

    application()
    window = Window()
    window.resize(1280, 800)
    window.show()
    angle = np.linspace(0, 2 * np.pi, nodes, endpoint=False)
    radius = 100 * (1 + 0.2 * np.cos(5 * angle) + 0.05 * np.cos(40 * angle))
    points = 130 + radius[:, None] * np.column_stack([np.cos(angle), np.sin(angle)])
    loop = Loop(points)
    outline = Outline((Contour(loop, origin="imported"),))
    window.session.start(set_imported(Job(), outline, "Large"))
    window.go("trace")
    table = window.table
    image = QImage(table.size(), QImage.Format.Format_ARGB32_Premultiplied)
    bare = painter_path(loop)
    ours, plain = _panned(table, image, bare, points[0])
    index = Index(outline)
    hits = []
    for at in points[:: nodes // 200]:
        start = time.perf_counter()
        index.on_node(at[0] + 0.01, at[1], 0.5)
        index.on_path(at[0] + 0.01, at[1], 0.5)
        hits.append(time.perf_counter() - start)
    tool = NodeTool()
    tool.follow(outline)
    tool.choose({(0, 0)})
    tool._held, tool._start = "nodes", table.view.to_screen(QPointF(*points[0]))
    table.set_tool(tool)  # type: ignore[arg-type]
    drags = []
    for turn in range(30):
        tool.move(tool._start + QPointF(10 + turn, 5), table)
        start = time.perf_counter()
        table.render(image)
        drags.append(time.perf_counter() - start)
    start = time.perf_counter()
    move(window.session.job, {(0, 0)}, 1.0, 1.0)
    dropped = time.perf_counter() - start
    table.set_tool(None)
    scrolls = _scrolled(window, loops)
    window.close()

    def late(values: list[float]) -> float:
        return 1000 * float(np.percentile(values, 95))

    return {
        "pan and zoom, ms": late(ours),
        "the bare path, ms": late(plain),
        "ratio": late(ours) / late(plain),
        "hit-test, ms": late(hits),
        "a frame while a node is dragged, ms": late(drags),
        "the drop of a dragged node, ms": 1000 * dropped,
        "a frame while 5,000 loops are scrolled, ms": late(scrolls),
    }


def _panned(
    table: Table, image: QImage, bare: QPainterPath, at: Floats
) -> tuple[list[float], list[float]]:
    """Return the seconds of each frame while the table is moved, and those of the path alone."""
    from PySide6.QtCore import QPointF
    from PySide6.QtGui import QColor, QPainter, QPen

    ours: list[float] = []
    plain: list[float] = []
    for zoom in (1.0, 4.0, 20.0, 100.0):
        table.fit()
        table.zoom_by(zoom)
        table.view.centre = QPointF(*at.tolist())
        for turn in range(24):
            table.view.pan(3, 2)
            if turn % 8 == 7:
                table.zoom_by(1.05)
            start = time.perf_counter()
            table.render(image)
            spent = time.perf_counter() - start
            painter = QPainter(image)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(QPen(QColor("black"), 1.0))
            start = time.perf_counter()
            painter.drawPath(table.view.transform().map(bare))
            if turn > 1:  # the first frames make what is kept
                ours.append(spent)
                plain.append(time.perf_counter() - start)
            painter.end()
    return ours, plain


def _scrolled(window: Window, loops: int) -> list[float]:
    """Return the seconds of each frame while a list of so many loops is scrolled."""
    from silhueta.core.job import Job, set_imported

    dots = [circle_loop((x, y), 0.4) for x in range(loops // 50) for y in range(50)]
    many = Outline(tuple(Contour(path, origin="imported") for path in dots))
    window.session.start(set_imported(Job(), many, "Many"))
    window.go("tidy")
    listed = window.sheets["tidy"].loops.list  # type: ignore[attr-defined]
    bar, scrolls = listed.verticalScrollBar(), []
    for turn in range(60):
        bar.setValue(round(bar.maximum() * turn / 60))
        start = time.perf_counter()
        listed.grab()
        scrolls.append(time.perf_counter() - start)
    return scrolls
