"""What a line is, it stays: operation, colour and group through edits, commands and files."""

from collections import Counter
from dataclasses import replace
from xml.etree import ElementTree

import ezdxf
import numpy as np
import pytest

from silhueta.core.build import edits
from silhueta.core.files.job_file import load_job, save_job
from silhueta.core.geometry.outline import Contour, Outline, keyed
from silhueta.core.geometry.path import OpenPath, circle_loop
from silhueta.core.job import CutFileSettings, Job
from silhueta.core.relations import Ref
from silhueta.core.tidy.offers.kinds import take_all
from silhueta.core.tidy.offers.offer import Limits
from tests.conftest import hole, square


def plate():
    """A plate with a hole, an engraved ring, a marked ring, a marked line; a locked group."""
    contours = (
        Contour(square(60), colour=(20, 52, 77), group=1, locked=True),
        Contour(hole(circle_loop((12, 12), 4)), colour=(20, 52, 77), group=1),
        Contour(circle_loop((30, 30), 8), operation="engrave", group=2),
        Contour(circle_loop((48, 48), 3), operation="mark", group=2),
        Contour(OpenPath(np.array([[5.0, 50.0], [25.0, 50.0]])), operation="mark"),
    )
    outline, _ = keyed(Outline(contours), 0)
    return Job(outline=outline)


def kinds(outline):
    """How many contours there are of each operation, colour and lock."""
    found = {}
    for c in outline.contours:
        key = (c.operation, c.colour, c.locked, c.path.closed)
        found[key] = found.get(key, 0) + 1
    return found


@pytest.mark.parametrize(
    ("edit", "times"),
    [
        (lambda job: edits.copies(job, (), 3, 2, 5.0), 6),
        (lambda job: edits.copies_round(job, (), 5, (100.0, 0.0)), 5),
        (lambda job: edits.mirrored_pair(job, (), 5.0), 2),
        (lambda job: edits.move(job, (), 5.0, 3.0), 1),
        (lambda job: edits.turn(job, (), 30.0), 1),
        (lambda job: edits.mirror(job, (), "x"), 1),
        (lambda job: edits.scale(job, (), 150.0), 1),
    ],
)
def test_edits_keep_what_a_line_is(edit, times):
    before = plate()
    after = edit(before)
    assert kinds(after.outline) == {k: times * n for k, n in kinds(before.outline).items()}
    groups = {}
    for c in after.outline.contours:
        groups.setdefault(c.group, []).append(c.operation)
    # each copy of a group is a group of its own
    assert len([g for g in groups if g]) == 2 * times
    assert all(len(own) == 2 for g, own in groups.items() if g)


def nameplate(tmp_path):
    """A nameplate: cut outside and inside, an engraved ring, a marked ring, a marked line."""
    file = tmp_path / "nameplate.silhueta"
    contours = tuple(replace(c, colour=None) for c in plate().outline.contours)
    save_job(replace(plate(), outline=Outline(contours)), file)
    return file


def operations(file):
    """How many paths a written file has on each layer, as ezdxf or the XML itself tells."""
    if file.suffix == ".dxf":
        space = ezdxf.readfile(file).modelspace()
        return Counter(entity.dxf.layer for entity in space)
    groups = ElementTree.parse(file).getroot().iter("{http://www.w3.org/2000/svg}g")
    return Counter({g.get("id"): sum(p.get("d").count("M") for p in g) for g in groups})


MEANT = {"CUT_OUTSIDE": 1, "CUT_INSIDE": 1, "ENGRAVE": 1, "MARK": 2}


def test_a_nameplate_keeps_its_operations_all_the_way(call, tmp_path):
    job = nameplate(tmp_path)
    steps = [
        ("build", job, ("--turn", "30"), "one.dxf"),
        ("tidy", "one.dxf", (), "two.dxf"),
        ("true", "two.dxf", ("--true", "all"), "three.dxf"),
        ("build", "three.dxf", ("--copies", "3x1"), "four.svg"),
        ("tidy", "four.svg", (), "five.svg"),
        ("build", "five.svg", ("--offset", "0.5mm"), "six.dxf"),
        ("build", "six.dxf", ("--sheet", "300x300mm", "--copies", "2x1"), "seven.dxf"),
    ]
    times = 1
    for command, source, options, target in steps:
        code, out, err = call(command, tmp_path / source, *options, "-o", tmp_path / target)
        assert code == 0, (target, err)
        times *= {"four.svg": 3, "seven.dxf": 2}.get(target, 1)
        meant = {layer: times * count for layer, count in MEANT.items()}
        if target.endswith(".svg"):
            meant = {"cut": 2 * times, "engrave": times, "mark": 2 * times}
        assert operations(tmp_path / target) == meant, target
        assert f"{3 * times} marked line" in out


def test_layers_of_others_are_worked_as_they_are_told(call, tmp_path):
    document = ezdxf.new("R2000")
    document.header["$INSUNITS"] = 4
    space = document.modelspace()
    space.add_lwpolyline([(0, 0), (60, 0), (60, 40), (0, 40)], close=True)
    space.add_circle((20, 20), 6, dxfattribs={"layer": "Etching"})
    space.add_circle((40, 20), 6, dxfattribs={"layer": "Bends"})
    space.add_circle((50, 30), 2, dxfattribs={"layer": "Notes"})
    source, target = tmp_path / "theirs.dxf", tmp_path / "ours.dxf"
    document.saveas(source)
    told = ("--layers", "etching=engrave", "--layers", "Bends = mark", "--layers", "NOTES=skip")
    for command in ("tidy", "true", "build"):
        extra = ("--turn", "10") if command == "build" else ()
        code, _, err = call(command, source, *told, *extra, "-o", target)
        assert code == 0, err
        assert operations(target) == {"CUT_OUTSIDE": 1, "ENGRAVE": 1, "MARK": 1}
        for wrong, said in (("Etching=burn", "tells no layer"), ("Bolts=mark", "no outline on")):
            code, _, err = call(command, source, "--layers", wrong, "-o", target)
            assert code == 2
            assert said in err


def test_tidy_tells_cut_from_engraved():
    near = [
        Contour(square(60)),
        Contour(circle_loop((30, 30), 8)),
        Contour(circle_loop((30, 30), 7.9), operation="engrave"),  # beside its cut
        Contour(circle_loop((10, 10), 0.4), operation="mark"),  # smaller than a speck
        Contour(OpenPath(np.array([[5.0, 50.0], [25.0, 50.0]])), operation="mark"),
        Contour(OpenPath(np.array([[25.2, 50.0], [40.0, 50.0]])), operation="engrave"),
    ]
    outline, _ = keyed(Outline(tuple(near)), 0)
    assert kinds(take_all(outline, Limits()).outline) == kinds(outline)
    # of one kind they are doubles, a speck and a gap
    all_cut = Outline(tuple(replace(c, operation="cut") for c in outline.contours))
    assert set(take_all(all_cut, Limits()).counts) >= {"doubles", "specks", "gaps"}


def test_an_edit_that_changes_nothing_is_no_step():
    job = plate()
    alone = edits.ungroup(job, ())
    assert edits.ungroup(alone, ()) is alone
    assert edits.turn(job, (), 0.0) is job
    assert edits.turn(job, (), 360.0) is job
    assert edits.scale(job, (), 100.0) is job


def test_build_writes_a_job_as_the_job_says_it(call, tmp_path):
    file = nameplate(tmp_path)
    job = replace(load_job(file), cut_file=CutFileSettings("in").choosing("dxf.version", "R12"))
    save_job(job, file)
    target = tmp_path / "one.dxf"
    assert call("build", file, "--turn", "30", "-o", target)[0] == 0
    written = ezdxf.readfile(target)
    assert (written.dxfversion, written.header["$INSUNITS"]) == ("AC1009", 1)
    assert call("build", file, "--turn", "30", "--units", "mm", "-o", target)[0] == 0
    assert "$INSUNITS\n 70\n4" in target.read_text()


@pytest.mark.parametrize("flip", [(), ("--mirror", "x")])
def test_files_of_colours_have_what_is_engraved_and_marked(call, tmp_path, flip):
    red, blue = (200, 0, 0), (0, 0, 200)
    ring = Contour(circle_loop((10, 30), 4), operation="engrave", colour=red)
    line = Contour(OpenPath(np.array([[26.0, 30.0], [34.0, 30.0]])), operation="mark")
    inner = square(20, (20, 20))
    plates = [Contour(square(60), colour=red), Contour(hole(inner), colour=red)]
    job = Job(outline=Outline((*plates, Contour(inner, colour=blue), ring, line)))
    save_job(job, tmp_path / "two.silhueta")
    out = tmp_path / "two.dxf"
    given = ("build", tmp_path / "two.silhueta", "--trap", "1mm", "-o", out)
    assert call(*given, *flip)[0] == 0
    low, high = (
        ezdxf.readfile(tmp_path / f"two-{name}.dxf").modelspace() for name in ("c80000", "0000c8")
    )
    (engraved,) = low.query("*[layer=='ENGRAVE']")
    corner = min(
        circle.dxf.center.x - circle.dxf.radius
        for circle in low.query("CIRCLE[layer=='MARK']")  # the registration marks, the same in all
    )
    right = engraved.dxf.center.x - corner
    assert engraved.dxf.radius == pytest.approx(4)
    assert right == pytest.approx((50 if flip else 10) + 7 + 1.5, abs=1e-6)
    assert not high.query("*[layer=='ENGRAVE']")
    lines = [
        [len(tuple(entity.vertices())) for entity in space.query("LWPOLYLINE[layer=='MARK']")]
        for space in (low, high)
    ]
    assert [len(some) for some in lines] == [8, 9]  # two to each registration mark, and the line
    save_job(
        Job(outline=Outline((*job.outline.contours, Contour(circle_loop((50, 50), 2))))),
        tmp_path / "two.silhueta",
    )
    code, _, said = call(*given)
    assert code == 1
    assert "1 line that is cut belongs to no colour" in said


@pytest.mark.parametrize("command", ["tidy", "true"])
def test_tidy_and_true_write_a_job_as_it_says(call, tmp_path, command):
    job = replace(
        plate(),
        cut_file=CutFileSettings("in", "chosen").choosing("dxf.version", "R12"),
        zero=(Ref(2, 0),),  # the hole
    )
    file, target = tmp_path / "plate.silhueta", tmp_path / "plate.dxf"
    save_job(job, file)
    assert call(command, file, "-o", target)[0] == 0
    written = ezdxf.readfile(target)
    assert (written.dxfversion, written.header["$INSUNITS"]) == ("AC1009", 1)
    (bore,) = [e for e in written.modelspace().query("CIRCLE") if e.dxf.layer[:6] == "CUT_IN"]
    assert tuple(bore.dxf.center) == pytest.approx((0, 0, 0), abs=1e-9)
    assert bore.dxf.radius == pytest.approx(4 / 25.4)
    layers = Counter(entity.dxf.layer for entity in written.modelspace())
    assert layers == {"CUT_OUTSIDE_14344D": 1, "CUT_INSIDE_14344D": 1, "ENGRAVE": 1, "MARK": 2}
    told = ("--units", "mm", "--origin", "corner", "--dxf-version", "R2000")
    assert call(command, file, *told, "-o", target)[0] == 0
    written = ezdxf.readfile(target)
    assert (written.dxfversion, written.header["$INSUNITS"]) == ("AC1015", 4)
    assert min(e.dxf.center.x for e in written.modelspace().query("CIRCLE")) == pytest.approx(12)
    code, _, said = call(command, file, "--file-units", "mm", "-o", target)
    assert code == 2
    assert "--file-units: plate.silhueta is a job" in said
    code, _, said = call(command, file, "--origin", "picture", "-o", target)
    assert code == 1
    assert "has its zero point at the picture's corner" in said
