"""The proof fails where a file is not what was meant: each spoiled in ten ways, each refused."""

from dataclasses import replace

import numpy as np
import pytest

from silhueta.core.cutting.drawing import draw
from silhueta.core.errors import FileError
from silhueta.core.files.dxf import DXF
from silhueta.core.files.export import proven
from silhueta.core.files.svg import SVG
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import ARC, LINE, Loop, OpenPath, circle_loop
from silhueta.core.geometry.transform import transform
from silhueta.core.job import CutFileSettings
from tests.conftest import hole

# 100 x 60 mm with two rounded corners; two slots of the same box's size, holes; marks; engraved
PLATE = Loop(
    [[0, 0], [100, 0], [100, 50], [90, 60], [10, 60], [0, 50]],
    [LINE, LINE, ARC, LINE, ARC, LINE],
    [0, 0, 0.41421356, 0, 0.41421356, 0],
)
SLOT = hole(Loop([[20, 20], [40, 20], [40, 26], [20, 26]], [LINE, ARC, LINE, ARC], [0, 1, 0, 1]))


def outline():
    across = transform(SLOT, np.eye(2), (35.0, 0.0))
    return Outline(
        (
            Contour(PLATE),
            Contour(SLOT),
            Contour(across),
            Contour(hole(circle_loop((30, 45), 4))),
            Contour(hole(circle_loop((70, 45), 4))),
            Contour(circle_loop((50, 45), 5), operation="engrave"),
            Contour(Loop([[46, 8], [54, 8], [54, 12], [46, 12]]), operation="mark"),
            Contour(OpenPath(np.array([[10.0, 8], [30, 8], [40, 14]])), operation="mark"),
        )
    )


def moved(path, x, y):
    return transform(path, np.eye(2), (x, y))


def with_hole(drawing, change):
    part = drawing.parts[0]
    holes = tuple(change(k, h) for k, h in enumerate(part.holes))
    return replace(drawing, parts=(replace(part, holes=tuple(h for h in holes if h)),))


def vertex_moved(path, by):
    nodes = path.nodes.copy()
    nodes[1] += by
    return type(path)(nodes, path.kinds, path.bulges, path.controls)


def arc_mirrored(path):
    bulges = path.bulges.copy()
    bulges[np.flatnonzero(path.kinds == ARC)[0]] *= -1
    return Loop(path.nodes, path.kinds, bulges)


SPOILED = {
    "a hole moved 59 mm": lambda d: with_hole(
        d, lambda k, h: moved(h, 0, 0) if k != 2 else moved(h, 59, -20)
    ),
    "a hole moved 0.05 mm": lambda d: with_hole(d, lambda k, h: moved(h, 0.05, 0) if k == 3 else h),
    "a loop dropped": lambda d: with_hole(d, lambda k, h: None if k == 1 else h),
    "a loop twice, another gone": lambda d: with_hole(
        d, lambda k, h: d.parts[0].holes[0] if k == 1 else h
    ),
    "an arc mirrored": lambda d: with_hole(d, lambda k, h: arc_mirrored(h) if k == 0 else h),
    "a vertex moved": lambda d: replace(
        d, parts=(replace(d.parts[0], outer=vertex_moved(d.parts[0].outer, [-0.05, 0.0])),)
    ),
    "a mark's vertex moved": lambda d: replace(
        d, marks=(d.marks[0], vertex_moved(d.marks[1], 0.05))
    ),
    "two layers exchanged": lambda d: replace(
        d, marks=(d.engraved[0], d.marks[1]), engraved=(d.marks[0],)
    ),
    "turned the other way": lambda d: replace(
        d, parts=(replace(d.parts[0], outer=hole(d.parts[0].outer)),)
    ),
    "a line backwards": lambda d: replace(
        d, marks=(d.marks[0], OpenPath(d.marks[1].nodes[::-1].copy()))
    ),
    "another unit": lambda d: replace(d, units="in" if d.units == "mm" else "mm"),
    "all mirrored": lambda d: replace(
        d,
        parts=(
            replace(
                d.parts[0],
                holes=tuple(
                    moved(hole(transform(h, np.diag([-1.0, 1.0]))), d.frame[0], 0.0)
                    for h in d.parts[0].holes
                ),
            ),
        ),
    ),
    "arcs as chords": lambda d: with_hole(d, lambda k, h: Loop(h.nodes) if k == 0 else h),
}
FORMS = [
    (DXF, CutFileSettings().choosing("dxf.version", "R12"), "mm"),
    (DXF, CutFileSettings(), "in"),
    (SVG, CutFileSettings(), "mm"),
    (SVG, CutFileSettings(), "in"),
]


@pytest.mark.parametrize(("form", "plan", "units"), FORMS)
def test_what_was_meant_is_proven(form, plan, units):
    drawing = draw(outline(), units)
    assert proven(form, drawing, form.write(drawing, plan), "part").open_paths == 1


@pytest.mark.parametrize(("form", "plan", "units"), FORMS)
@pytest.mark.parametrize("spoiled", list(SPOILED))
def test_a_spoiled_file_is_refused(spoiled, form, plan, units):
    drawing = draw(outline(), units)
    written = form.write(SPOILED[spoiled](drawing), plan)
    with pytest.raises(FileError, match=r"part (came back|is)"):
        proven(form, drawing, written, "part")


def test_what_lies_off_a_page_is_refused():
    drawing = draw(outline(), "mm", "picture", (120.0, 80.0))
    left = draw(
        Outline(tuple(replace(c, path=moved(c.path, -20, 0)) for c in outline().contours)),
        "mm",
        "picture",
        (120.0, 80.0),
    )
    assert proven(SVG, drawing, SVG.write(drawing, CutFileSettings()), "part")
    with pytest.raises(FileError, match="off the page"):
        proven(SVG, left, SVG.write(left, CutFileSettings()), "part")
    assert proven(DXF, left, DXF.write(left, CutFileSettings()), "part")
