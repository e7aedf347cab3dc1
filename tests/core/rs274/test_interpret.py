"""Programs read from their text: what RS-274 says of words, modes, arcs and units."""

from __future__ import annotations

import math

import pytest

from silhueta.core.rs274.interpret import NotUnderstoodError, interpret


def deeds(text, units=None):
    return list(interpret(text, units))


def test_modes_stay_in_force_and_units_are_told():
    found = deeds(
        "n10 g20 g0x1y2\n\n (a comment) \nG1 X2 F10 ; and one more\nY3\ng91 x-1 y-1\nM2\nG9"
    )
    assert [one.kind for one in found] == ["rapid", "feed", "feed", "feed", "end"]
    assert found[0].end == pytest.approx((25.4, 50.8, 0))
    assert found[2].end == pytest.approx((50.8, 76.2, 0))
    assert found[3].end == pytest.approx((25.4, 50.8, 0))
    assert found[1].feed == pytest.approx(254)
    assert found[3].line == 6
    assert deeds("G0 X1", "in")[0].end == pytest.approx((25.4, 0, 0))


def test_arcs_by_centre_and_by_radius():
    head = "G21 F100 G0 X10 Y0\n"
    half = deeds(head + "G3 X-10 Y0 I-10 J0")[1]
    assert half.centre == pytest.approx((0, 0))
    assert half.turn == pytest.approx(math.pi)
    assert deeds(head + "G2 X-10 Y0 I-10")[1].turn == pytest.approx(-math.pi)
    assert deeds(head + "G2 X10 Y0 I-10")[1].turn == pytest.approx(-2 * math.pi)
    quarter = deeds(head + "G3 X0 Y10 R10")[1]
    assert quarter.centre == pytest.approx((0, 0), abs=1e-9)
    assert quarter.turn == pytest.approx(math.pi / 2)
    most = deeds(head + "G3 X0 Y10 R-10")[1]  # below zero: the longer way
    assert most.centre == pytest.approx((10, 10))
    assert most.turn == pytest.approx(3 * math.pi / 2)
    helix = deeds(head + "G2 X-10 Y0 Z-2 I-10")[1]
    assert helix.end[2] == -2


def test_tool_torch_and_waits_come_in_their_order():
    found = deeds("G21 T3 M6\nS9000 M3\nG4 P0.5\nM5\nM30\n")
    assert [(one.kind, one.value) for one in found] == [
        ("tool", 3), ("speed", 9000), ("on", 0), ("wait", 0.5), ("off", 0), ("end", 0),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("text", "line", "words"),
    [
        ("G0 X1", 1, "mm \\(G21\\) or inches"),
        ("G21\nG1 X1", 2, "no feed"),
        ("G21 X1", 1, "no G word"),
        ("G21 G0 G1 X1", 1, "two G words"),
        ("G21 F9\nG18\nG2 X1 I1", 3, "plane X Y"),
        ("G21 F9\nG2 X10 Y0 I4.99 J0", 2, "radii"),
        ("G21 F9\nG2 X10 Y0 R4", 2, "does not reach"),
        ("G21 F9\nG3 X1", 2, "neither centre"),
        ("G21 F0", 1, "feed of 0"),
        ("G21\n#1 = 3", 2, "is not known"),
        ("G21\nG0 X[1+2]", 2, "is not known"),
        ("G41 D1", 1, "G41 is not known"),
        ("M98", 1, "M98 is not known"),
        ("G0 (open", 1, "not closed"),
        ("G21 G0 X1 X2", 1, "twice"),
        ("G4", 1, "how long"),
        ("T1.5 M6", 1, "whole number"),
        ("G0 X" + "1" * 300, 1, "256"),
        ("\x00\x01", 1, "is not known"),
    ],
)
def test_what_is_not_known_is_said_with_its_line(text, line, words):
    with pytest.raises(NotUnderstoodError, match=words) as caught:
        deeds(text)
    assert caught.value.line == line
