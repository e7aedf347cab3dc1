"""`silhueta build`: every option has its effect or is refused by name, alone and in pairs."""

import json

import pytest

from silhueta.core.files.inspect_file import inspect_file
from tests import walked

PLATE = """<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="60mm"
 viewBox="0 0 100 60"><path fill-rule="evenodd" d="M10 10 H70 L60 50 H10 Z
 M20 20 v22 h30 v-22 z M28 26 h14 v8 h-14 z"/></svg>"""
COLOURS = """<svg xmlns="http://www.w3.org/2000/svg" width="80mm" height="60mm"
 viewBox="0 0 80 60"><path d="M2 2 H78 L60 58 H2 Z" fill="#14344d"/>
 <circle cx="30" cy="30" r="20" fill="#c79a3b"/></svg>"""

# an option, and a value that would show
OPTIONS = {
    "--turn": ["30deg"],
    "--mirror": ["y"],
    "--text": ["Alta"],
    "--cap-height": ["9mm"],
    "--font": ["Slab"],
    "--spacing": ["2mm"],
    "--stencil": [],
    "--arc": ["60mm"],
    "--union": [],
    "--offset": ["2mm"],
    "--corners": ["sharp"],
    "--outer-only": [],
    "--thicken": ["12mm"],
    "--plate": ["120x90mm"],
    "--radius": ["5mm"],
    "--margin": ["12mm"],
    "--negative": [],
    "--bridge": ["3mm"],
    "--bridges": ["3"],
    "--sections": ["50x50mm"],
    "--joint": ["step"],
    "--clearance": ["0.2mm"],
    "--copies": ["2x1"],
    "--gap": ["9mm"],
    "--sheet": ["140x100mm"],
    "--trap": ["1mm"],
    "--base": [],
    "--keep": ["outer"],
    "--origin": ["picture"],
    "--units": ["in"],
}
# what an option may need beside it before it can show
PARTNERS = {
    "--text": ["--cap-height", "--union"],
    "--cap-height": ["--text", "--union"],
    "--font": ["--text", "--cap-height", "--union"],
    "--spacing": ["--text", "--cap-height", "--union"],
    "--stencil": ["--text", "--cap-height", "--union"],
    "--arc": ["--text", "--cap-height", "--union"],
    "--corners": ["--offset"],
    "--radius": ["--plate"],
    "--margin": ["--sheet", "--copies"],
    "--negative": ["--plate"],
    "--bridges": ["--bridge"],
    "--joint": ["--sections"],
    "--clearance": ["--sections", "--joint"],
    "--gap": ["--copies"],
    "--base": ["--trap"],
}


def result(call, source, names):
    """What the call writes, or the sentence that refuses it; what is said beside does not count."""
    given = [part for name in names for part in (name, *OPTIONS[name])]
    code, made = walked.result(call, "build", source, given)
    return code, made if code else made[:-1]


@pytest.fixture
def source(tmp_path):
    file = tmp_path / "plate.svg"
    file.write_text(PLATE)
    return file


@pytest.mark.parametrize(
    "name", [n for n in OPTIONS if n not in ("--union", "--trap", "--base", "--negative")]
)
def test_every_option_shows_or_is_refused_by_its_name(call, tmp_path, source, name):
    partners = PARTNERS.get(name, [])
    alone = result(call, source, [name])
    if alone[0]:
        assert name in alone[1] or (name == "--text" and "2 outlines" in alone[1])
        assert partners
    without = result(call, source, partners)
    code, made = result(call, source, [*partners, name])
    assert code == 0, made
    assert (code, made) != without


# pairs of which one rightly leaves the other nothing to show
_HIDES = {
    # letters on the plate are holes, which it leaves out; and then no islands are left to tie
    "--outer-only": {"--spacing", "--stencil", "--arc", "--bridge", "--bridges", "--keep"},
    "--keep": {"--spacing", "--arc"},
    "--stencil": {"--bridge", "--bridges"},  # a stencil font has its own
}
_PAIRED = [n for n in OPTIONS if n not in ("--trap", "--base", "--clearance", "--font")]


@pytest.mark.parametrize("one", _PAIRED)
def test_every_pair_shows_both_or_refuses_one_by_its_name(call, tmp_path, source, one):
    idle = []
    known = {}

    def made_of(names):
        key = frozenset(names)
        if key not in known:
            known[key] = result(call, source, names)
        return known[key]

    for two in _PAIRED[_PAIRED.index(one) + 1 :]:
        base = [*PARTNERS.get(one, []), *PARTNERS.get(two, [])]
        both = list(dict.fromkeys([*base, one, two]))
        code, made = made_of(both)
        if code:
            assert any(name in made for name in both) or code == 1, (one, two, made)
            continue
        for name in (one, two):
            needed = {p for other in both if other != name for p in PARTNERS.get(other, [])}
            # a plate's outlines are its holes by how they lie in each other: --negative only
            # says so; and one file is welded already
            if name in (*needed, "--negative") or "--union" in (one, two):
                continue
            if two in _HIDES.get(one, ()) or one in _HIDES.get(two, ()):
                continue
            if (code, made) == made_of([n for n in both if n != name]):
                idle.append((name, both))
    assert not idle


@pytest.mark.parametrize("name", [n for n in OPTIONS if n not in ("--trap", "--base", "--mirror")])
def test_beside_trap_all_that_it_cannot_do_is_named(call, tmp_path, name):
    source = tmp_path / "emblem.svg"
    source.write_text(COLOURS)
    code, said = result(call, source, ["--trap", *PARTNERS.get(name, []), name])
    if name == "--units":
        assert code == 0
        return
    assert code == 2
    assert name in said
    assert not list(tmp_path.glob("made*"))


@pytest.mark.parametrize("axis", ["x", "y"])
def test_layers_are_mirrored_either_way(call, tmp_path, axis):
    source = tmp_path / "emblem.svg"
    source.write_text(COLOURS)
    plain = result(call, source, ["--trap"])
    code, _, _ = call(
        "build", source, "--trap", "1mm", "--mirror", axis, "-o", tmp_path / "made.svg"
    )
    assert code == 0
    mirrored = [(f.name, f.read_text()) for f in sorted(tmp_path.glob("made*"))]
    assert len(mirrored) == 2
    assert mirrored != plain[1][:2]


def test_numbered_files_never_take_the_place_of_what_was_read(call, tmp_path):
    source = tmp_path / "panel-1.svg"
    source.write_text(PLATE)
    options = ("--sections", "50x50mm", "-o", tmp_path / "panel.svg")
    code, _, err = call("build", source, *options)
    assert code == 2
    assert "panel-1.svg" in err
    assert source.read_text() == PLATE
    assert [f.name for f in tmp_path.iterdir()] == ["panel-1.svg"]
    emblem = tmp_path / "q-14344d.svg"
    emblem.write_text(COLOURS)
    code, _, err = call("build", emblem, "--trap", "1mm", "-o", tmp_path / "q.svg")
    assert code == 2
    assert emblem.read_text() == COLOURS
    assert "would be lost" in err


def test_what_an_earlier_run_left_beside_is_said(call, tmp_path, source):
    target = tmp_path / "made.svg"
    (tmp_path / "made-9.svg").write_text("another")
    code, out, err = call("build", source, "--sections", "50x50mm", "-o", target)
    assert code == 0
    assert "earlier run" not in err
    assert all("marked line" in line for line in out.splitlines()), out
    count = len(out.splitlines())
    (tmp_path / f"made-{count + 1}.svg").write_text("older")
    code, _, err = call("build", source, "--sections", "50x50mm", "-o", target)
    assert code == 0
    assert f"made-{count + 1}.svg of an earlier run" in err


def test_a_report_that_cannot_be_written_leaves_no_layer_either(call, tmp_path):
    source = tmp_path / "emblem.svg"
    source.write_text(COLOURS)
    options = ("--report", tmp_path / "none" / "r.json", "-o", tmp_path / "made.svg")
    assert call("build", source, "--trap", "1mm", *options)[0] == 1
    assert [f.name for f in tmp_path.iterdir()] == ["emblem.svg"]


LINES = """<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="60mm" fill="none"
 stroke="black" viewBox="0 0 100 60"><rect x="10" y="10" width="60" height="40"/>
 <path d="M20 20 H60"/></svg>"""


@pytest.mark.parametrize(
    "options",
    [("--offset", "2mm"), ("--union",), ("--plate", "90x60mm"), ("--thicken", "2mm")]
    + [("--outer-only",), ("--copies", "2x1"), ("--sections", "50x50mm")],
)
def test_open_lines_are_kept_as_marks_or_said(call, tmp_path, options):
    source, target = tmp_path / "lines.svg", tmp_path / "made.dxf"
    source.write_text(LINES)
    code, _, err = call("build", source, *options, "-o", target)
    assert code == 0
    if "--sections" in options:
        assert "1 line that is not cut is left out" in err
        return
    assert inspect_file(target)["open_paths"] == (2 if "--copies" in options else 1)


def test_words_turn_with_the_base_they_stand_on(call, tmp_path, source):
    text = ("--text", "Alta", "--cap-height", "6mm", "--exclude")
    plain, turned = tmp_path / "plain.dxf", tmp_path / "turned.dxf"
    assert call("build", source, *text, "-o", plain)[0] == 0
    assert call("build", source, *text, "--turn", "90", "-o", turned)[0] == 0
    one, two = inspect_file(plain), inspect_file(turned)
    assert two["size_mm"] == pytest.approx(one["size_mm"][::-1], abs=1e-6)
    assert two["area_mm2"] == pytest.approx(one["area_mm2"], abs=1e-3)


def test_reports_count_what_is_in_the_file(call, tmp_path, source):
    report = tmp_path / "r.json"
    options = ("--keep", "outer", "-o", tmp_path / "made.svg", "--report", report)
    assert call("build", source, *options)[0] == 0
    told = json.loads(report.read_text())
    assert (told["outer_loops"], told["holes"]) == (1, 0)


def test_what_lies_off_an_svgs_page_is_refused(call, tmp_path):
    source = tmp_path / "left.svg"
    source.write_text(PLATE.replace("M10 10 H70", "M-20 10 H70"))
    code, _, err = call("build", source, "--origin", "picture", "-o", tmp_path / "made.svg")
    assert code == 1
    assert "off the page of made.svg" in err
    assert call("build", source, "--origin", "picture", "-o", tmp_path / "made.dxf")[0] == 0


def test_parts_that_lie_apart_are_cut_between_them(call, tmp_path):
    source = tmp_path / "two.svg"
    source.write_text(
        PLATE.split("<path")[0].replace("100", "200").replace("60", "100")
        + '<rect x="5" y="5" width="60" height="60"/><rect x="120" y="9" width="50" height="50"/>'
        "</svg>"
    )
    code, out, _ = call("build", source, "--sections", "70x100mm", "-o", tmp_path / "made.dxf")
    assert code == 0
    assert len(out.splitlines()) == 2
