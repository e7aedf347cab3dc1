"""The reader of programs against the standard's worked examples and against another reader.

NISTIR 6556 is T. R. Kramer, F. M. Proctor and E. Messina, "The NIST RS274NGC Interpreter, Version
3", 2000; its examples are told from memory, with the section. The other reader is pygcode, from the
registry, which was written by others from other sources.
"""

from __future__ import annotations

import math
import random

import pygcode
import pytest

from silhueta.core.rs274.interpret import interpret

PROGRAMS = 200


def moves(text: str) -> list[tuple[str, tuple[float, float, float]]]:
    return [(one.kind, one.end) for one in interpret(text, "mm") if one.kind in ("rapid", "feed")]


def test_the_first_example_of_a_drilling_cycle():
    # 3.5.16.2: from (1, 2, 3), G90 G81 G98 X4 Y5 Z1.5 R2.8
    found = moves("G17 F10\nG0 X1 Y2 Z3\nG90 G81 G98 X4 Y5 Z1.5 R2.8\n")[1:]
    assert [kind for kind, _ in found] == ["rapid", "rapid", "feed", "rapid"]
    want = [(4, 5, 3), (4, 5, 2.8), (4, 5, 1.5), (4, 5, 3)]
    assert [end for _, end in found] == [pytest.approx(one) for one in want]


def test_the_second_example_of_a_drilling_cycle():
    # 3.5.16.2: from (1, 2, 3), G91 G81 G98 X4 Y5 Z-0.6 R1.8 L3
    found = moves("G17 F10\nG0 X1 Y2 Z3\nG91 G81 G98 X4 Y5 Z-0.6 R1.8 L3\n")[1:]
    want = [("rapid", (1, 2, 4.8))]  # since the old Z is below the clear one
    for x, y in ((5, 7), (9, 12), (13, 17)):
        want += [("rapid", (x, y, 4.8)), ("feed", (x, y, 4.2)), ("rapid", (x, y, 4.8))]
    assert [kind for kind, _ in found] == [kind for kind, _ in want]
    assert [end for _, end in found] == [pytest.approx(end) for _, end in want]


def test_the_examples_of_arcs():
    # 3.5.3.1: G17 G2 X10 Y15 R20 Z5 is a helix whose arc has a radius of 20
    (deed,) = [one for one in interpret("G21 F9\nG17 G2 X10 Y15 R20 Z5\n") if one.kind == "feed"]
    assert deed.centre is not None
    assert math.dist(deed.centre, (10, 15)) == pytest.approx(20)
    assert math.dist(deed.centre, (0, 0)) == pytest.approx(20)
    assert -math.pi < deed.turn < 0
    # 3.5.3.2: G17 G2 X10 Y16 I3 J4 Z9 from (7, 7) has its centre at (10, 11), and a radius of 5
    text = "G21 F9\nG0 X7 Y7\nG17 G2 X10 Y16 I3 J4 Z9\n"
    (deed,) = [one for one in interpret(text) if one.kind == "feed"]
    assert deed.centre == pytest.approx((10, 11))
    assert math.dist(deed.centre, deed.end[:2]) == pytest.approx(5)


def program(rng: random.Random) -> list[str]:
    """A random program within what both readers know; its arcs end on their circles."""
    lines = [rng.choice(["G20", "G21"]) + " G17 G90 G94", f"F{rng.randint(100, 3000)}"]
    x = y = z = 0.0
    absolute = True
    for _ in range(rng.randint(15, 40)):
        do = rng.random()
        if do < 0.1:
            absolute = not absolute
            lines.append("G90" if absolute else "G91")
        elif do < 0.2:
            lines.append(rng.choice(["M3 S900", "M5", "M8", "M9", f"F{rng.randint(50, 900)}"]))
        elif do < 0.6:
            a, b, c = (round(rng.uniform(-50, 50), 3) for _ in range(3))
            told = (a, b, c) if absolute else (a - x, b - y, c - z)
            words = [f"{w}{v:.5f}" for w, v in zip("XYZ", told, strict=True)]
            kept = sorted(rng.sample(range(3), rng.randint(1, 3)))
            mode = rng.choice(["G0 ", "G1 ", "G01", "g1"])
            lines.append(mode + " ".join(words[k] for k in kept))
            x, y, z = (
                (new if k in kept else old)
                for k, (new, old) in enumerate(zip((a, b, c), (x, y, z), strict=True))
            )
        else:
            radius, turn = rng.uniform(2, 30), rng.uniform(0.2, 5.5)
            first = rng.uniform(0, 2 * math.pi)
            sense = rng.choice([1, -1])
            i, j = -radius * math.cos(first), -radius * math.sin(first)
            last = first + sense * turn
            # off the circle by a rounding to five decimals
            a = round(x + i + radius * math.cos(last), 5)
            b = round(y + j + radius * math.sin(last), 5)
            told = (a, b) if absolute else (a - x, b - y)
            code = "G3" if sense > 0 else "G2"
            lines.append(f"{code} X{told[0]:.5f} Y{told[1]:.5f} I{i:.5f} J{j:.5f}")
            x, y = a, b
    return lines


@pytest.mark.parametrize("block", range(4))
def test_another_reader_agrees_on_path_and_modal_state(block):
    for seed in range(block * PROGRAMS // 4, (block + 1) * PROGRAMS // 4):
        lines = program(random.Random(seed))
        machine = pygcode.Machine()
        theirs = []
        for line in lines:
            machine.process_block(pygcode.Line(line.upper()).block)
            modal = {type(code).__name__ for code in machine.mode.gcodes}
            every = machine.mode.gcodes
            feed = next(one.word.value for one in every if isinstance(one, pygcode.GCodeFeedRate))
            at = machine.pos
            theirs.append(((at.X, at.Y, at.Z), modal, float(feed)))
        scale = 25.4 if "G20" in lines[0] else 1.0
        deeds = list(interpret("\n".join(lines)))
        moved = {one.line: one for one in deeds if one.kind in ("rapid", "feed")}
        here, on = (0.0, 0.0, 0.0), False
        for number, (at, modal, feed) in enumerate(theirs, 1):
            for one in (one for one in deeds if one.line == number):
                on = {"on": True, "off": False}.get(one.kind, on)
            assert ("GCodeStartSpindleCW" in modal) is on
            deed = moved.get(number)
            if deed is None:
                continue
            here = deed.end
            assert here == pytest.approx([v * scale for v in at], abs=1e-4 * scale)
            kind = {
                "GCodeRapidMove": "rapid",
                "GCodeLinearMove": "feed",
                "GCodeArcMoveCW": "feed",
                "GCodeArcMoveCCW": "feed",
            }
            (motion,) = modal & set(kind)
            assert deed.kind == kind[motion]
            assert (deed.turn > 0, deed.turn < 0) == (
                motion == "GCodeArcMoveCCW",
                motion == "GCodeArcMoveCW",
            )
            if deed.kind == "feed":
                assert deed.feed == pytest.approx(feed * scale)
