"""SVG files come out as they look: fill rules, what is welded, hidden, bare, or not painted."""

from __future__ import annotations

import numpy as np
import pytest

from silhueta.core.files.drawing_open import on_page
from silhueta.core.files.svg_read import read_svg
from silhueta.core.geometry.measure import signed_area
from silhueta.core.geometry.path import Loop, OpenPath

STAR = "M50 5 L77 90 L5 37 L95 37 L23 90"  # closed by its fill, not by a Z


def placed(body: str, **how):
    text = (
        '<svg xmlns="http://www.w3.org/2000/svg" width="100mm" height="100mm" '
        f'viewBox="0 0 100 100">{body}</svg>'
    )
    return on_page(read_svg(text.encode(), "x.svg"), **how)


def area(found, colour=None) -> float:
    return sum(
        signed_area(c.path)
        for c in found.outline.contours
        if isinstance(c.path, Loop) and c.colour == colour
    )


def test_two_overlapping_squares_with_a_hole_keep_the_hole():
    found = placed(
        '<g fill="#222"><rect x="10" y="10" width="40" height="40"/>'
        '<path fill-rule="evenodd" d="M30 30h50v50h-50z M60 60h10v10h-10z"/></g>'
    )
    assert len(found.outline.contours) == 2
    assert area(found) == pytest.approx(1600 + 2500 - 400 - 100)
    assert found.hidden == 0


@pytest.mark.parametrize(("rule", "loops"), [("nonzero", 1), ("evenodd", 5)])
def test_a_star_is_filled_by_its_rule(rule, loops):
    found = placed(f'<path fill="black" fill-rule="{rule}" d="{STAR}"/>')
    assert len(found.outline.contours) == loops
    assert all(isinstance(c.path, Loop) for c in found.outline.contours)


def test_a_white_shape_on_a_dark_one_is_a_hole_and_beside_it_nothing():
    found = placed(
        '<rect width="50" height="50" fill="black"/><circle cx="50" cy="25" r="10" fill="white"/>'
    )
    assert area(found) == pytest.approx(2500 - 50 * np.pi)
    only = placed('<circle cx="50" cy="25" r="10" fill="white"/>')
    assert area(only) == pytest.approx(100 * np.pi)  # where all is white it is no ground


def test_each_colour_has_its_own_outline_and_later_ones_cover_earlier():
    found = placed(
        '<rect width="40" height="40" fill="#f00"/>'
        '<rect x="20" width="40" height="40" fill="blue"/>'
    )
    assert area(found, (255, 0, 0)) == pytest.approx(800)
    assert area(found, (0, 0, 255)) == pytest.approx(1600)


def test_a_hidden_shape_is_counted_and_can_be_had_with_all_lines():
    body = (
        '<g fill="green"><rect width="60" height="60"/><circle cx="30" cy="30" r="5"/>'
        '<rect x="50" width="40" height="10"/></g>'
    )
    found = placed(body)
    assert (len(found.outline.contours), found.hidden) == (1, 1)
    lines = placed(body, overlaps="lines")
    assert (len(lines.outline.contours), lines.hidden) == (3, 0)


def test_what_nobody_says_how_to_paint_is_lines_and_what_crosses_is_one():
    found = placed(
        '<rect width="60" height="60"/>'
        '<circle cx="30" cy="30" r="10"/><circle cx="30" cy="30" r="5"/>'
        '<rect x="50" y="20" width="40" height="10"/>'
    )
    assert len(found.outline.contours) == 3
    assert area(found) == pytest.approx(3600 + 300 - 75 * np.pi)


def test_what_has_no_paint_is_left_out_and_said():
    drawing = read_svg(
        b'<svg xmlns="http://www.w3.org/2000/svg" width="90" height="90"><g fill="none">'
        b'<rect width="9" height="9"/><path d="M0 0h5v5" fill="red" fill-opacity="0"/>'
        b'<path d="M0 0h50v50" stroke="red"/></g></svg>',
        "x.svg",
    )
    assert drawing.left_out == {"unpainted shapes": 2}
    (path,) = drawing.paths
    assert isinstance(path, OpenPath)  # a stroke is not closed


@pytest.mark.parametrize(
    "kind",
    ["mask", "marker", "pattern", "symbol", "filter", "foreignObject", "linearGradient", "defs"],
)
def test_what_is_never_drawn_where_it_stands_is_no_outline(kind):
    found = placed(
        f'<{kind} id="q"><rect width="9" height="9" fill="red"/></{kind}>'
        '<rect fill="red" x="20" y="20" width="30" height="30"/>'
    )
    assert [area(found)] == pytest.approx([900])


def test_strokes_become_what_they_cover_with_their_own_ends_and_corners():
    line = 'fill="none" stroke="black" stroke-width="4" d="M20 20 H60 V60"'
    (plain,) = placed(f"<path {line}/>", broader=0.5).outline.loops
    assert signed_area(plain) == pytest.approx(4 * (40 + 40 + 2) - 4 + 0, abs=4.1)
    rounded = placed(
        f'<path {line} stroke-linecap="round" stroke-linejoin="round"/>', broader=0.5
    ).outline.loops
    true = 4 * 80 + np.pi * 4 + np.pi - 4 + 4 - np.pi * 0
    assert area_of(rounded) == pytest.approx(true - 4 + np.pi, abs=4)
    assert area_of(rounded) > signed_area(plain)


def area_of(loops) -> float:
    return sum(signed_area(loop) for loop in loops)


def test_a_rim_of_another_colour_lies_over_its_fill():
    found = placed(
        '<rect x="20" y="20" width="40" height="40" fill="#00f" stroke="#f00" stroke-width="4"/>',
        broader=0.5,
    )
    assert area(found, (0, 0, 255)) == pytest.approx(36 * 36, rel=1e-3)
    assert area(found, (255, 0, 0)) == pytest.approx(44 * 44 - 36 * 36, rel=1e-2)


def test_clean_shapes_keep_their_segments():
    (loop,) = placed(
        '<path fill="#123456" d="M10 10 H60 A20 20 0 0 1 80 30 V60 C60 90 30 90 10 60 Z"/>'
    ).outline.loops
    assert sorted(loop.kinds.tolist()) == [0, 0, 0, 1, 2]


@pytest.mark.parametrize(
    ("how", "seen"),
    [
        ('fill="red"', True),
        ('fill="none"', False),
        ('fill="red" opacity="0"', False),
        ('fill="red" fill-opacity="0.01"', False),
        ('fill="red" fill-opacity="40%"', True),
        ('fill="#12345600"', False),
        ('style="fill:none;stroke:none"', False),
        ('style="fill:none;stroke:#000;stroke-width:0"', False),
        ('fill="none" stroke="black" stroke-opacity="0"', False),
        ('fill="none" stroke="black"', True),
        ('fill="url(#nothing)"', True),
        ('fill="nonsense" opacity="nonsense"', True),
        ('fill="red" visibility="hidden"', False),
        ('fill="red" style="display: none"', False),
    ],
)
def test_what_is_painted_is_an_outline_and_nothing_else(how, seen):
    found = placed(
        f'<rect x="20" y="20" width="30" height="30" {how}/><rect width="5" height="5" fill="red"/>'
    )
    assert len(found.outline.contours) == 1 + seen


@pytest.mark.parametrize(
    ("pen", "more"),
    [
        ("", 0.0),
        ('stroke-linecap="square"', 2 * 2 * 4.0),
        ('stroke-linecap="round"', np.pi * 4),
        ('stroke-linecap="nonsense"', 0.0),
    ],
)
def test_ends_of_strokes(pen, more):
    line = f'<path d="M20 50 H80" fill="none" stroke="black" stroke-width="4" {pen}/>'
    (loop,) = placed(line, broader=0.5).outline.loops
    assert signed_area(loop) == pytest.approx(60 * 4 + more, rel=2e-3)


@pytest.mark.parametrize(
    ("pen", "more"),
    [
        ("", 4.0),  # a miter: a square of half the width beyond the bevel's two
        ('stroke-linejoin="bevel"', 2.0),
        ('stroke-linejoin="round"', np.pi),
        ('stroke-miterlimit="1.2"', 2.0),
        ('stroke-miterlimit="nonsense"', 4.0),
    ],
)
def test_corners_of_strokes(pen, more):
    # SVG 1.1, section 11.4: at a right angle a miter is 1.41 times the width
    line = f'<path d="M20 20 H60 V60" fill="none" stroke="black" stroke-width="4" {pen}/>'
    (loop,) = placed(line, broader=0.5).outline.loops
    assert signed_area(loop) == pytest.approx(4 * 80 - 4 + more, abs=0.9)


def test_open_shapes_of_two_nodes_and_dots_are_nothing_where_they_are_filled():
    found = placed('<g fill="red"><path d="M5 5 L9 9"/><path d="M3 3 z"/><path d="M1 1h9v9"/></g>')
    (loop,) = found.outline.loops
    assert signed_area(loop) == pytest.approx(40.5)
    bent = placed('<path fill="red" d="M5 5 A 10 10 0 0 1 25 5"/>')
    assert area(bent) == pytest.approx(50 * np.pi, rel=1e-6)


def test_what_no_outline_can_show_is_said():
    drawing = read_svg(
        b'<svg xmlns="http://www.w3.org/2000/svg" width="40mm" height="40mm" viewBox="0 0 40 40">'
        b'<defs><linearGradient id="g"/></defs>'
        b'<rect width="9" height="9" fill="url(#g)"/>'
        b'<rect x="5" width="9" height="9" fill="#036" opacity="0.5"/>'
        b'<path d="M0 20H30" fill="none" stroke="#000" stroke-width="2" stroke-dasharray="3 1"/>'
        b'<g transform="scale(3 1)"><path d="M0 25H9" stroke="#000" stroke-width="1"/></g>'
        b'<rect y="30" width="9" height="9" fill="#036" stroke="none" stroke-opacity="0.1"/></svg>',
        "plate.svg",
    )
    assert drawing.left_out == {
        "gradients": 1,
        "see-through paints": 1,
        "dash patterns": 1,
        "stretched strokes": 1,
    }


def test_a_stray_shape_off_the_page_is_left_out_and_said_unless_most_are():
    page = '<svg xmlns="http://www.w3.org/2000/svg" width="20mm" height="20mm" viewBox="0 0 20 20">'
    on, off = '<rect x="2" y="2" width="9" height="9"/>', '<circle cx="4" cy="-9000" r="3"/>'
    stray = read_svg(f"{page}{on}{on}{off}</svg>".encode(), "plate.svg")
    assert len(stray.paths) == 2
    assert stray.left_out == {"off-page shapes": 1}
    assert len(read_svg(f"{page}{on}{off}{off}</svg>".encode(), "plate.svg").paths) == 3
