"""`silhueta trace`, `tidy`, `true`: every option shows or is refused by name, also in pairs."""

import numpy as np
import pytest
from PIL import Image, ImageDraw

from tests.walked import Walk, result

DRAWING = """<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="80mm" fill="none"
 viewBox="0 0 100 80" stroke="black" stroke-width=".2"><rect x="1" y="1" width="98" height="78"/>
 <path d="M10 11 L70 10 L70.01 30 L70.4 31 L70.02 50.03 L10.02 50 Z" stroke-width="1.2"/>
 <circle cx="30" cy="30" r="3.175"/><circle cx="50" cy="30" r="5.03"/>
 <circle cx="80" cy="60" r="0.3" fill="black"/><path d="M60 40 v10 h8 v-10 z M60.1 40.1 v9.8
 h7.8 v-9.8 z"/><path d="M20 60 h10 M30.3 60 v10 h-10 M19.8 70 v-10"/>
 <rect x="75" y="20" width="12" height="12"/><rect x="82" y="25" width="12" height="12"/></svg>"""

TRUE = {
    "--true": ["all"],
    "--hole-sizes": ["inch"],
    "--level": ["auto"],
    "--keep": ["outer"],
    "--units": ["in"],
    "--origin": ["picture"],
}
TIDY = {
    "--gap": ["0mm"],
    "--double": ["0mm"],
    "--speck": ["0mm2"],
    "--tolerance": ["0.8mm"],
    "--drop-frame": [],
    "--file-units": ["in"],
    "--file-units-force": [],
    "--strokes": ["outline"],
    "--overlaps": ["weld"],
    **TRUE,
}
TRACE = {
    "--overall-width": ["50mm"],
    "--crop": ["30,30,180,140"],
    "--read": ["line"],
    "--light": ["stored"],
    "--threshold": ["90"],
    "--band": ["30-150"],
    "--local": ["9mm"],
    "--colour": ["#28406e"],
    "--colour-distance": ["40"],
    "--part": [],
    "--invert": [],
    "--speck": ["60mm2"],
    "--tolerance": ["1mm"],
    "--pen": ["centre"],
    "--close-gaps": ["5mm"],
    "--colours": ["3"],
    "--fit": ["curves"],
    "--smooth": ["2mm"],
    "--corner": ["5deg"],
    **{name: TRUE[name] for name in ("--true", "--hole-sizes", "--level", "--keep")},
}


@pytest.fixture
def drawing(tmp_path):
    file = tmp_path / "drawing.svg"
    file.write_text(DRAWING)
    return file


def pictured(file):
    """A plate with bends, an ellipse and an island, a disc, a speck, a broken ring; noise."""
    image = Image.new("RGB", (960, 720), (250, 250, 248))
    draw = ImageDraw.Draw(image)
    plate = [(80, 120), (600, 80), (680, 240), (640, 600), (380, 640), (80, 560)]
    draw.polygon(plate, fill=(40, 60, 110))
    draw.ellipse((180, 200, 400, 330), fill=(250, 250, 248))
    draw.ellipse((260, 244, 320, 300), fill=(200, 60, 40))
    draw.ellipse((460, 400, 540, 480), fill=(250, 250, 248))
    draw.ellipse((760, 160, 856, 256), fill=(120, 120, 60))
    draw.rectangle((800, 400, 824, 424), fill=(0, 0, 0))
    draw.arc((728, 448, 912, 632), 0, 335, fill=(0, 0, 0), width=12)
    small = np.asarray(image.resize((240, 180), Image.Resampling.LANCZOS), float)
    noise = np.random.default_rng(1).normal(0, 2, small.shape)
    lit = small + noise - np.linspace(0, 50, 240)[:, None]
    Image.fromarray(np.clip(lit, 0, 255).astype(np.uint8)).save(file, dpi=(127, 127))
    return file


@pytest.fixture
def picture(tmp_path):
    return pictured(tmp_path / "picture.png")


# what has nothing to work on in these examples beside which other: no round hole is left, the
# joint is a corner either way, the ring's gap is not part, nothing lies within
NOTHING_LEFT = {
    "--hole-sizes": ["--keep", "--file-units", "--file-units-force", "--read", "--threshold"]
    + ["--band", "--colours", "--part", "--speck", "--pen", "--close-gaps", "--crop"],
    "--corner": ["--crop", "--light", "--read", "--colour", "--colour-distance", "--speck", "--pen"]
    + ["--close-gaps", "--tolerance"],
    "--close-gaps": ["--colour", "--colour-distance", "--invert", "--speck", "--part"],
    "--keep": ["--read", "--speck", "--pen", "--close-gaps"],
    "--overlaps": ["--keep"],
    "--fit": ["--colour", "--speck"],
    "--speck": ["--file-units", "--file-units-force"],
}


def idle_pairs(walk, one, names):
    """Return what is idle in the pairs of one option with those after it, by the other."""
    found = {}
    for two in names[names.index(one) + 1 :]:
        for idle in walk.idle(one, two):
            other = one if idle == two else two
            if other not in NOTHING_LEFT.get(idle, ()):
                found[two] = idle
    return found


@pytest.fixture(scope="module")
def known():
    """What calls have made, for all tests of this file."""
    return {}


TIDY_NEEDS = {
    "--file-units-force": ["--file-units"],
    "--file-units": ["--file-units-force"],
    "--hole-sizes": ["--true"],
    "--level": ["--drop-frame"],  # which is level
}
TRUE_NEEDS = {"--hole-sizes": ["--true"], "--level": []}
TRACE_NEEDS = {
    "--close-gaps": ["--pen"],
    "--colour-distance": ["--colour"],
    "--hole-sizes": ["--true"],
}


@pytest.mark.parametrize("one", list(TIDY))
def test_tidy(call, drawing, known, one):
    walk = Walk(call, "tidy", drawing, TIDY, TIDY_NEEDS, known)
    assert walk.idle(one) == []
    assert idle_pairs(walk, one, list(TIDY)) == {}


@pytest.mark.parametrize("one", list(TRUE))
def test_true(call, drawing, known, one):
    drawing.write_text(DRAWING.replace('<rect x="1" y="1" width="98" height="78"/>', ""))
    walk = Walk(call, "true", drawing, TRUE, TRUE_NEEDS, known)
    assert walk.idle(one) == []
    assert idle_pairs(walk, one, list(TRUE)) == {}


@pytest.mark.parametrize("one", list(TRACE))
def test_trace(call, picture, known, one):
    walk = Walk(call, "trace", picture, TRACE, TRACE_NEEDS, known)
    assert walk.idle(one) == []
    assert idle_pairs(walk, one, list(TRACE)) == {}


@pytest.mark.parametrize(
    ("command", "given", "named"),
    [
        ("trace", ["--dxf-version", "R12"], "--dxf-version"),
        ("tidy", ["--dxf-version", "R12"], "--dxf-version"),
        ("build", ["--dxf-version", "R12"], "--dxf-version"),
        ("tidy", ["--file-units-force"], "--file-units-force"),
        ("tidy", ["--hole-sizes", "inch"], "--hole-sizes"),
        ("true", ["--true", "none", "--hole-sizes", "inch"], "--hole-sizes"),
        ("trace", ["--colour-distance", "9"], "--colour-distance"),
        ("trace", ["--dpi", "90", "--focal35", "28"], "--focal35"),
        ("trace", ["--dpi", "90", "--datum-height", "3mm"], "--datum-height"),
        ("trace", ["--read", "line", "--part"], "--read"),
    ],
)
def test_what_could_do_nothing_is_refused_by_name(call, drawing, picture, command, given, named):
    code, said = result(call, command, picture if command == "trace" else drawing, given)
    assert code == 2
    assert named in said
    assert not list(drawing.parent.glob("made*"))


def test_what_the_picture_leaves_nothing_for_is_said(call, picture):
    for given, named in (
        (["--thickness", "3mm", "--threshold", "90"], "--thickness"),
        (["--pen", "centre", "--smooth", "2mm"], "--smooth"),
    ):
        code, made = result(call, "trace", picture, given)
        assert code == 0
        assert f"{named} changes nothing" in made[-1]


@pytest.mark.parametrize(
    ("name", "value"), [("--thickness", "3mm"), ("--datum-height", "9mm"), ("--focal35", "40")]
)
def test_what_a_camera_sees_changes_the_size(call, picture, name, value):
    seen = ["--sheet", "a4", "--sheet-corners", "10,10 230,12 228,170 12,168", "--read", "solid"]
    seen += ["--threshold", "90"]
    seen += ["--thickness", "8mm"] if name == "--focal35" else []
    without = result(call, "trace", picture, seen)
    assert without[0] == 0
    assert result(call, "trace", picture, [*seen, name, value])[1][:-2] != without[1][:-2]
