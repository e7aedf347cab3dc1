"""What must hold for any job, any file and any run of edits."""

import io
from dataclasses import fields, is_dataclass, replace

import ezdxf
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from silhueta.app.session import Session
from silhueta.core.cutting.drawing import draw
from silhueta.core.datums import DpiDatum, LengthDatum, Optics, PixelDatum, RoundDatum, SheetDatum
from silhueta.core.files.export import export
from silhueta.core.files.inspect_file import read_drawing
from silhueta.core.files.job_file import job_bytes, job_from_bytes
from silhueta.core.geometry.measure import bounding_box, length_of
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Loop, OpenPath
from silhueta.core.job import (
    CutFileSettings,
    Job,
    PictureFile,
    TidySettings,
    TraceSettings,
    set_trace,
)
from silhueta.core.steps import Crop, Mirror, Turn
from silhueta.core.tidy import node_edits
from silhueta.core.tidy.choose import set_operation, set_taken, swap

number = st.floats(-500, 500)
point = st.tuples(number, number)
state = st.fixed_dictionaries(
    {
        "taken": st.booleans(),
        "operation": st.sampled_from(["cut", "engrave", "mark"]),
        "origin": st.sampled_from(["traced", "edited", "drawn", "imported"]),
        "locked": st.booleans(),
        "colour": st.none() | st.tuples(*[st.integers(0, 255)] * 3),
        "chosen": st.booleans(),
    }
)


@st.composite
def contours(draw_):
    """Any contour: closed or open, of lines, arcs and cubics, in any state."""
    count = draw_(st.integers(3, 7))
    nodes = np.array(draw_(st.lists(point, min_size=count, max_size=count)))
    closed = draw_(st.booleans())
    many = count if closed else count - 1
    kinds = np.array(
        draw_(st.lists(st.sampled_from([LINE, ARC, CUBIC]), min_size=many, max_size=many)), np.uint8
    )
    bulges = np.where(
        kinds == ARC, draw_(st.lists(st.floats(0.01, 2), min_size=many, max_size=many)), 0.0
    )
    controls = np.where(
        (kinds == CUBIC)[:, None, None],
        np.array(draw_(st.lists(st.tuples(point, point), min_size=many, max_size=many))),
        0.0,
    )
    made = Loop if closed else OpenPath
    return Contour(made(nodes, kinds, bulges, controls), **draw_(state))


datum = st.one_of(
    st.builds(DpiDatum, st.floats(10, 2000)),
    st.builds(PixelDatum, st.floats(0.01, 2)),
    st.builds(LengthDatum, st.just((1.0, 2.0)), st.just((300.5, 40.0)), st.floats(1, 900)),
    st.builds(RoundDatum, point, st.just((40.0, 38.5)), st.floats(0, 3), st.floats(5, 90)),
    st.just(SheetDatum("a4", (297.0, 210.0), ((1, 1), (900.5, 2), (901, 640), (0, 641)))),
)
step = st.sampled_from([Crop(1, 2, 300, 200), Turn(3), Mirror()])
trace_settings = st.builds(
    TraceSettings,
    threshold=st.none() | st.floats(0, 255),
    invert=st.booleans(),
    speck=st.floats(0, 100),
    tolerance=st.none() | st.floats(0.001, 5),
    keep=st.sampled_from(["all", "outer", "outer+holes"]),
    fit=st.sampled_from(["arcs", "curves"]),
)
picture = st.none() | st.builds(
    PictureFile, st.binary(min_size=1, max_size=90), st.sampled_from(["strap.png", "ç.jpg"])
)
jobs = st.builds(
    Job,
    name=st.text(st.characters(blacklist_categories=["Cs", "Cc"]), min_size=1, max_size=12),
    picture=picture,
    datums=st.lists(datum, max_size=2).map(tuple),
    optics=st.builds(Optics, st.floats(0, 20), st.none() | st.floats(10, 200)),
    clean=st.lists(step, max_size=3).map(tuple),
    trace=trace_settings,
    outline=st.lists(contours(), max_size=4).map(lambda made: Outline(tuple(made))),
    cut_file=st.builds(
        CutFileSettings,
        st.sampled_from(["mm", "in"]),
        st.sampled_from(["corner", "picture", "chosen"]),
        options=st.sampled_from([(), (("dxf.version", "R12"), ("other.feed", 900.0))]),
    ),
    tidy=st.builds(TidySettings, st.none() | st.floats(0, 9), extend=st.none() | st.booleans()),
    page=st.none() | st.tuples(*[st.floats(-1e3, 1e3)] * 4),
)


def plain(value):
    """Return a value as what can be compared: arrays as lists, values by their fields."""
    if isinstance(value, np.ndarray):
        return value.tolist()
    if isinstance(value, Loop | OpenPath):
        arrays = (value.nodes, value.kinds, value.bulges, value.controls)
        return [type(value).__name__, *map(plain, arrays)]
    if is_dataclass(value):
        return {field.name: plain(getattr(value, field.name)) for field in fields(value)}
    if isinstance(value, tuple | list):
        return [plain(each) for each in value]
    return value


@given(jobs)
@settings(suppress_health_check=[HealthCheck.too_slow], max_examples=60)
def test_any_job_comes_back_from_its_file(job):
    assert plain(job_from_bytes(job_bytes(job), "any")) == plain(job)


@st.composite
def sheets(draw_):
    """Shapes that lie apart, each in a cell of its own, of lines and arcs, in any operation."""
    made = []
    for cell in range(draw_(st.integers(1, 6))):
        at = np.array([30.0 * (cell % 3), 40.0 * (cell // 3)])
        corners = draw_(st.integers(3, 7))
        angle = np.linspace(0, 2 * np.pi, corners, endpoint=False)
        angle += draw_(st.floats(0, 6))
        nodes = at + draw_(st.floats(1, 9)) * np.column_stack([np.cos(angle), np.sin(angle)])
        kinds = np.array(draw_(st.lists(st.sampled_from([LINE, ARC]), min_size=7, max_size=7)))
        kinds = kinds[:corners].astype(np.uint8)
        bulges = np.where(kinds == ARC, draw_(st.floats(0.05, 0.4)), 0.0)
        what = draw_(st.sampled_from(["cut", "cut", "engrave", "mark"]))
        made.append(Contour(Loop(nodes, kinds, bulges), operation=what))
        if draw_(st.booleans()):
            made.append(Contour(OpenPath(nodes + (0, 18), kinds[:-1], bulges[:-1])))
    return Outline(tuple(made))


@given(
    sheets(),
    st.sampled_from([".dxf", ".svg"]),
    st.sampled_from(["mm", "in"]),
    st.sampled_from(["R12", "R2000"]),
)
@settings(
    max_examples=60,
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow],
)
def test_any_outline_comes_back_from_any_file(tmp_path, outline, suffix, units, version):
    meant = draw(outline, units)
    target = tmp_path / f"any{suffix}"
    export(meant, target, CutFileSettings().choosing("dxf.version", version))
    found = read_drawing(target)
    assert found.units == units
    assert sorted(p.closed for p in found.paths) == sorted(p.closed for p in meant.paths())
    assert bounding_box(found.paths) == pytest.approx(bounding_box(meant.paths()), abs=1e-4)
    lengths = [sorted(map(length_of, paths)) for paths in (found.paths, meant.paths())]
    assert lengths[0] == pytest.approx(lengths[1], abs=1e-3)
    if suffix == ".dxf":
        document = ezdxf.read(io.StringIO(target.read_text()))
        layers = sorted(entity.dxf.layer for entity in document.modelspace())
        assert layers == sorted(layer for layer, _ in meant.layered())


def moved(job):
    return node_edits.move(job, {(0, 0)}, 1.0, 2.0)


EDITS = (
    lambda job: set_taken(job, {0}, not job.outline.contours[0].taken),
    lambda job: set_operation(job, {0, 1}, "engrave"),
    lambda job: set_operation(job, {1}, "mark"),
    swap,
    moved,
    lambda job: set_trace(job, replace(job.trace, speck=job.trace.speck + 1)),
)


@given(st.lists(st.integers(0, len(EDITS)), max_size=14))
@settings(max_examples=40)
def test_undo_after_any_run_of_edits_gives_the_first_job(run):
    square = Loop([[0, 0], [9, 0], [9, 9], [0, 9]])
    first = Job(outline=Outline((Contour(square), Contour(square))))
    session = Session()
    session.start(first)
    for edit in run:
        if edit == len(EDITS):
            session.undo()
        else:
            session.apply(f"edit {edit}", EDITS[edit])
    last = session.job
    steps = 0
    while session.undo_label is not None:
        session.undo()
        steps += 1
    assert session.job is first
    for _ in range(steps):
        session.redo()
    assert session.job is last
