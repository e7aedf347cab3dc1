"""Programs read from their text: what RS-274 says of words, modes, arcs and units."""

from __future__ import annotations

import math

import pytest

from silhueta.core.rs274.deeds import NotUnderstoodError
from silhueta.core.rs274.interpret import interpret


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
        ("G41 D1", 1, "allow for the tool"),
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


HEAD = "G21 G17 G90 G94 F60\nG0 X1 Y2 Z3\n"


def ends(text):
    return [(one.kind, *one.end) for one in deeds(HEAD + text) if one.line > 2]


def test_canned_cycles_wait_at_the_bottom_peck_and_end_at_r_or_where_they_began():
    found = deeds(HEAD + "G82 X4 Y2 Z1.5 R2.8 P0.25\n")
    assert [one.kind for one in found if one.line == 3] == [
        "rapid",
        "rapid",
        "feed",
        "wait",
        "rapid",
    ]
    assert next(one.value for one in found if one.kind == "wait") == 0.25
    pecks = ends("G99 G83 X4 Z0 R2 Q0.8\n")
    assert [row[0] for row in pecks] == ["rapid", "rapid"] + ["feed", "rapid", "rapid"] * 2 + [
        "feed", "rapid",
    ]  # fmt: skip
    assert [row[3] for row in pecks] == pytest.approx(
        [3, 2, 1.2, 2, 1.2 + 0.254, 0.4, 2, 0.4 + 0.254, 0, 2]
    )
    # the words of a hole stay for the next ones, until another motion comes
    rows = ends("G81 X4 Y5 Z1 R2\nX8\nG80\n")
    assert [row[1:] for row in rows if row[0] == "feed"] == [(4, 5, 1), (8, 5, 1)]
    with pytest.raises(NotUnderstoodError, match="needs Z"):
        deeds(HEAD + "G81 X4 Z1 R2\nG0 X0\nG81 X8 R2\n")
    for text, words in (
        ("G83 X1 Z0 R2", "needs Q"),
        ("G83 X1 Z0 R2 Q0", "no depth of a peck"),
        ("G83 X1 Z0 R2 Q0.00001", "no depth of a peck"),
        ("G81 X1 Z2.5 R2", "R lies below Z"),
        ("G81 X1 Z0 R2 L1.5", "repeats"),
        ("G81 X1 Z0 R2 L1000000", "repeats"),
        ("G18 G81 X1 Z0 R2", "plane X Y"),
    ):
        with pytest.raises(NotUnderstoodError, match=words):
            deeds(HEAD + text)


def test_offsets_count_from_elsewhere_only_where_the_program_says_from_where():
    assert ends("G92 X0 Y0\nG1 X5 Y0\nG92.2\nG1 X5\nG92.3\nG1 X5\n") == [
        ("feed", 6, 2, 3), ("feed", 5, 2, 3), ("feed", 6, 2, 3),
    ]  # fmt: skip
    first = "G21 G17 G90 G94 F60\n"
    told = "G10 L2 P1 X0 Y0 Z0\nG10 L2 P2 X100 Y10\nG0 X1 Y1 Z0\nG55\nG1 X1 Y1\nG54 X2\n"
    moves = [one.end for one in deeds(first + told) if one.kind in ("rapid", "feed")]
    assert moves == [(1, 1, 0), (101, 11, 0), (2, 11, 0)]
    # all of it in one system is no question, wherever that is
    assert deeds(first + "G56\nG1 X3 Y1\n")[-1].end == (3, 1, 0)
    assert deeds(first + "G43 H1\nG1 Z-1\n")[-1].end == (0, 0, -1)
    for text, words in (
        ("G0 X1\nG55\nG1 X1", "only the machine knows"),
        ("G0 X1\nG10 L2 P1 X5", "only the machine knows"),
        ("G92", "has none"),
        ("G10 L20 P1 X0", "L2"),
        ("G28", "only the machine knows"),
        ("G53 G0 X1", "does not tell"),
        ("G93", "feeds by time"),
    ):
        with pytest.raises(NotUnderstoodError, match=words):
            deeds(first + text)
