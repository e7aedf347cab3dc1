"""Words as outlines, against other readers of fonts; ties, plates, stencils."""

import math
from dataclasses import replace

import freetype
import numpy as np
import pytest
from fontTools.ttLib import TTFont

from silhueta.core.build.bridges import (
    bridged,
    islands,
    slid,
    stencilled,
    tied_at,
    with_ties,
)
from silhueta.core.build.fonts import FOLDER, SHIPPED, font_file
from silhueta.core.build.lettering import crowded, lettered, runs_of
from silhueta.core.build.offset import offset
from silhueta.core.build.shapes import corner_holes, negative, plate_round, rectangle, ring
from silhueta.core.errors import EditError, FileError
from silhueta.core.geometry.measure import bounding_box, signed_area
from silhueta.core.geometry.path import circle_loop
from silhueta.core.geometry.region.region import cut_away
from silhueta.core.words import Lettering


def area(loops) -> float:
    return sum(signed_area(loop) for loop in loops)


def letters(text: str, font: str = "Plain", size: float = 50.0, **how):
    return lettered(Lettering(text, size, font, **how))


@pytest.mark.parametrize("font", SHIPPED)
def test_a_capital_is_as_high_as_asked_and_covers_what_the_font_says(font):
    made = letters("H", font.name)
    assert bounding_box(made)[3] == pytest.approx(50, abs=1e-9)
    # areas as FreeType fills them, 1,000 px to the em
    face = freetype.Face(str(FOLDER / font.file))
    face.set_pixel_sizes(0, 1000)
    scale = 50 / _height(TTFont(FOLDER / font.file), "H") * face.units_per_EM / 1000
    for letter in "HOg":
        face.load_char(letter, freetype.FT_LOAD_RENDER | freetype.FT_LOAD_NO_HINTING)
        meant = sum(face.glyph.bitmap.buffer) / 255 * scale * scale
        assert area(letters(letter, font.name)) == pytest.approx(meant, rel=2e-3)


def _height(file: TTFont, letter: str) -> float:
    return file["glyf"][file.getBestCmap()[ord(letter)]].yMax


def test_letters_stand_as_far_apart_as_the_font_and_its_kerning_say():
    file = TTFont(FOLDER / SHIPPED[0].file)
    advance, _ = file["hmtx"][file.getBestCmap()[ord("H")]]
    scale = 50 / _height(file, "H")
    one, two = (bounding_box(letters(text))[2] for text in ("H", "HH"))
    assert two - one == pytest.approx(advance * scale, abs=1e-6)
    assert bounding_box(letters("AV"))[2] < bounding_box(letters("AA"))[2]  # kerned
    wide = bounding_box(letters("HH", spacing=7.0))[2]
    assert wide - two == pytest.approx(7, abs=1e-6)


def test_right_to_left_and_accents_are_shaped_and_what_a_font_lacks_is_named():
    accented, plain = letters("É"), letters("E")
    assert len(accented) == len(plain) + 1
    assert bounding_box(letters("É"))[3] == pytest.approx(bounding_box(accented)[3])
    with pytest.raises(EditError, match="has no “日”"):
        letters("A日")
    with pytest.raises(FileError, match="there is no font Nowhere"):
        letters("A", "Nowhere")


def test_words_on_a_circle_stand_on_it_and_hang_from_it():
    upper = letters("HH", size=10, arc=120)
    left, bottom, right, top = bounding_box(upper)
    assert left == pytest.approx(-right, abs=0.5)
    assert bottom > 55
    assert top == pytest.approx(math.hypot(right - 6, 70), abs=1.5)
    lower = bounding_box(letters("HH", size=10, arc=-120))
    assert lower[1] < -59
    assert lower[3] < -45
    assert area(upper) == pytest.approx(area(letters("HH", size=10)), rel=1e-6)
    with pytest.raises(EditError, match="more than go round"):
        letters("A" * 90, size=10, arc=120)


def test_a_file_that_is_no_font_is_refused(tmp_path):
    bad = tmp_path / "broken.ttf"
    bad.write_bytes(b"\0\1\0\0" + bytes(200))
    with pytest.raises(FileError, match="damaged or no font"):
        letters("A", str(bad))
    assert font_file("stencil").name.startswith("Saira")


@pytest.mark.parametrize("text", ["BOARD 8", "Andorinha", "aeg@", "ÖÅ%&"])
def test_a_stencil_has_no_island_and_its_ties_are_as_wide_as_asked(text):
    words = letters(text, "Slab", 60)
    plate = plate_round(words, "rectangle", None, 5, 10)
    whole = negative(words, plate)
    assert islands(whole)
    done = bridged(whole, 3.0, 2)
    assert not done.left
    assert not islands(done.loops)
    added = cut_away(done.loops, whole, "evenodd")
    assert area(added) < 0.06 * area(words)
    # eroded by almost half a tie the ties still hold: none is narrower than asked
    assert not islands(offset(done.loops, -1.45))
    inside = stencilled(words, 3.0, 2)
    assert area(inside.loops) == pytest.approx(area(words) - area(added), rel=1e-6)


def test_ties_are_straight_across_and_what_has_no_room_is_told():
    whole = [*ring(100, 60), circle_loop((0, 0), 20)]
    done = bridged(whole, 4.0, 2)
    a, b = done.ties
    way = np.subtract(a.end, a.start) / a.length
    across = np.subtract(b.end, b.start) / b.length
    assert way @ across == pytest.approx(-1, abs=0.01)
    assert a.length == pytest.approx(10, abs=0.2)
    speck = [rectangle(100, 100), rectangle(60, 60), rectangle(1, 1)]
    assert bridged(speck, 4.0).left
    with pytest.raises(EditError, match="1 to 8 ties"):
        bridged(whole, 4.0, 0)


def test_a_tie_moved_along_stands_where_it_was_dropped_and_clear_of_the_other():
    whole = [*ring(100, 60), circle_loop((0, 0), 20)]
    ties = bridged(whole, 4.0, 2).ties
    up = slid(whole, ties, 0, (0.5, 33.0))
    assert up.start == pytest.approx((0.3, 20), abs=0.5)
    assert up.end[1] == pytest.approx(30, abs=0.2)
    other_one = np.array(ties[1].start)
    beside = slid(whole, ties, 0, tuple(other_one * 1.5))
    assert np.hypot(*(beside.start - other_one)) > 2 * 4.0 - 1e-6
    narrow = [rectangle(100, 100), rectangle(60, 60), rectangle(6, 6)]
    held = bridged(narrow, 4.0, 1).ties
    corner = slid(narrow, held, 0, (3.0, 3.0))  # no tie stands on a corner: it goes beside it
    assert 0.9 < min(np.abs(corner.start)) < 1.15
    done = with_ties(narrow, [corner])
    assert not islands(done)


def test_a_plate_leaves_its_margin_and_has_room_for_its_holes():
    words = letters("Lume")
    (plate,) = plate_round(words, "rectangle", None, 5, 12)
    inner, outer = bounding_box(words), bounding_box([plate])
    assert np.subtract(inner, outer) == pytest.approx([12, 12, -12, -12])
    (round_plate,) = plate_round(words, "circle", margin=3)
    assert len(round_plate.kinds) == 2
    holes = corner_holes(plate, 6, 4)
    assert bounding_box(holes)[0] - outer[0] == pytest.approx(4)
    with pytest.raises(EditError, match="it needs"):
        plate_round(words, "rectangle", (50, 50))
    with pytest.raises(EditError, match="up to 10 mm"):
        rectangle(30, 20, 11)


def test_a_tie_is_put_where_one_says_and_its_fellow_opposite():
    whole = [*ring(100, 60), circle_loop((0, 0), 20)]
    for angle in (0.3, 2.0, -1.2):
        at = 22 * np.array([math.cos(angle), math.sin(angle)])
        a, b = tied_at(whole, (float(at[0]), float(at[1])), 4.0, 2).ties
        there = math.atan2(a.start[1], a.start[0])
        assert abs(math.remainder(there - angle, 2 * math.pi)) < 0.15
        way, off = np.subtract(a.end, a.start) / a.length, np.subtract(b.start, a.start)
        assert abs(way[0] * off[1] - way[1] * off[0]) < 1  # on one line,
        assert way @ off < 0  # on the other side
    with pytest.raises(EditError, match="no island"):
        tied_at(ring(100, 60), (0, 0), 4.0)
    with pytest.raises(EditError, match="no room"):
        tied_at([rectangle(100, 100), rectangle(60, 60), rectangle(1, 1)], (0, 0), 4.0)


def test_runs_stand_in_the_order_of_unicodes_algorithm():
    # Unicode Standard Annex #9, section 3.4, examples of rule L2, with Hebrew for capitals
    car, means = "\u05de\u05db\u05d5\u05e0\u05d9\u05ea", "means car."
    assert runs_of(f"{car} 123") == [("123", False), (f"{car} ", True)]
    assert runs_of(f"{means} {car}") == [(f"{means} ", False), (car, True)]
    assert runs_of("Alta") == [("Alta", False)]
    assert runs_of("") == []


@pytest.mark.parametrize(("sign", "name"), [("\t", "tab"), ("\u2028", "line separator")])
def test_signs_that_no_font_has_are_refused_by_name(sign, name):
    with pytest.raises(EditError, match=f"has no {name}"):
        lettered(Lettering(f"Mar{sign}Alta", 10.0))


def test_an_empty_line_is_a_line():
    (two, three) = (lettered(Lettering(text, 10.0)) for text in ("I\nI", "I\n\nI"))
    assert bounding_box(three)[1] == pytest.approx(2 * bounding_box(two)[1], abs=1e-6)


def test_letters_that_run_together_inside_a_circle_are_said():
    inside = Lettering("OFICINA MARE", 5.0, arc=-30.0)
    assert "3 pairs of letters" in crowded(inside)
    assert crowded(replace(inside, spacing=2.0)) == ""
    assert crowded(replace(inside, arc=30.0)) == ""
