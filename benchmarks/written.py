"""Plates and their programs, drawn and written by this file alone, and mistakes put in them.

Programs are written in many ways: inches, steps from place to place, arcs by centre or radius,
small letters, no spaces. Mistakes are planted as they come about in a workshop.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
import shapely

WIDTH = {"plasma": 1.5, "router": 6.0}
FEED = {"plasma": 1800.0, "router": 1200.0}  # mm/min
THICK, PASS = 6.0, 2.0
INCH = 25.4
_HIGH = 5.0  # mm above the sheet, on the way from cut to cut
LEAD = 4.0  # mm
_BED = {"plasma": 3, "router": 1}  # parts of this many hundred mm go on every generic bed

Point = tuple[float, float]
# where it goes, what it goes round (None: straight), and whether clockwise
Leg = tuple[float, float, Point | None, bool]


@dataclass
class Cut:
    """One ring: where the tool goes down, and its legs from there."""

    begin: Point
    legs: list[Leg]
    depths: list[float]
    shift: Point = (0.0, 0.0)  # of its arcs' centres; a mistake
    again: bool = False
    stays_on: bool = False
    wrong: bool = False


@dataclass
class Sheet:
    """A part, how it is cut, and how its program is written."""

    process: str
    rim: shapely.Polygon
    holes: list[shapely.Polygon]
    circles: list[tuple[float, float, float]]  # each hole's, or a radius of nothing
    cuts: list[Cut] = field(default_factory=list)
    at: Point = (0.0, 0.0)  # where the program's zero lies
    feed: float = 1.0  # of the right one; a mistake
    inches: bool = False
    header: str = ""  # another unit than its numbers have; a mistake
    steps: bool = False  # from place to place
    radii: bool = False
    plane: str = "G17"
    bare: bool = False  # without spaces and in small letters
    numbered: bool = False
    lines: tuple[int, int] = (0, 0)  # of the cut that is wrong, once written


def sheet(rng: np.random.Generator, process: str) -> Sheet:
    """Return a random plate with holes, cut soundly, and a random way of writing."""
    wide, high = rng.uniform(120, 100 * _BED[process] + 150, 2)
    rim = shapely.box(0, 0, wide, high)
    if rng.random() < 0.5:
        rim = rim.buffer(-12).buffer(12, quad_segs=64)
    holes, circles = [], []
    for k in range(int(rng.integers(2, 8))):
        x, y = wide * (k % 3 + 0.5) / 3, high * (k // 3 + 0.5) / 3
        size = float(rng.uniform(16, 0.6 * min(wide, high) / 3 + 6)) / 2
        if k == 0 or rng.random() < 0.5:
            circles.append((x, y, size))
            holes.append(shapely.Point(x, y).buffer(size, quad_segs=720))
            continue
        turn = np.arange(rng.integers(3, 8))
        turn = 2 * np.pi * (turn + rng.uniform(0, 0.5, len(turn))) / len(turn)
        corners = np.column_stack([np.cos(turn), np.sin(turn)]) * size + [x, y]
        circles.append((x, y, 0.0))
        holes.append(shapely.Polygon(corners))
    made = Sheet(process, rim, holes, circles)
    radius = WIDTH[process] / 2
    for hole, (x, y, size) in zip(holes, circles, strict=True):
        if size:
            made.cuts.append(_round(x, y, size - radius, process))
        else:
            inner = hole.buffer(-radius)
            room = shapely.maximum_inscribed_circle(inner).length / 2
            made.cuts.append(along(inner, min(LEAD, room), process))
    order = rng.permutation(len(holes)).tolist()
    made.cuts = [made.cuts[k] for k in order]
    made.cuts.append(along(rim.buffer(radius, quad_segs=64), -LEAD, process))
    made.inches, made.steps, made.radii, made.bare, made.numbered = (rng.random(5) < 0.5).tolist()
    if rng.random() < 0.5:
        made.at = tuple(rng.uniform(-80, 80, 2).round(3).tolist())
    return made


def _depths(process: str) -> list[float]:
    if process == "plasma":
        return [0.0]
    return [-PASS * k for k in range(1, math.ceil(THICK / PASS) + 1)]


def _round(x: float, y: float, radius: float, process: str) -> Cut:
    """Return a circle from its right-most place, in quarters, led in from inside."""
    begin = (x + radius - min(LEAD, radius / 2), y)
    quarters = [(x, y + radius), (x - radius, y), (x, y - radius), (x + radius, y)]
    legs: list[Leg] = [(x + radius, y, None, False)]
    legs += [(u, v, (x, y), False) for u, v in quarters]
    return Cut(begin, legs, _depths(process))


def along(ring: shapely.Polygon, lead: float, process: str) -> Cut:
    """Return a ring of straight legs from the middle of its longest; `lead`: mm to its left."""
    corners = shapely.get_coordinates(shapely.geometry.polygon.orient(ring).exterior)[:-1]
    sides = np.roll(corners, -1, axis=0) - corners
    k = int(np.hypot(*sides.T).argmax())
    ux, uy = sides[k] / np.hypot(*sides[k])
    start = corners[k] + sides[k] / 2
    begin = start + np.array([-uy, ux]) * lead
    rest = np.roll(corners, -k - 1, axis=0)
    legs: list[Leg] = [(*start.tolist(), None, False)]
    legs += [(x, y, None, False) for x, y in rest.tolist()]
    legs.append((*start.tolist(), None, False))
    return Cut(tuple(begin.tolist()), legs, _depths(process))


def written(made: Sheet) -> str:
    """Return the program, and note in which lines the wrong cut lies."""
    pen = _Pen(made)
    said = {"G20": "G20", "G21": "G21", "": "G20" if made.inches else "G21"}[made.header]
    pen.say(f"{said} {made.plane} G40 G49 {'G91' if made.steps else 'G90'} G94")
    if made.process == "router":
        pen.say("T1 M6", "S18000 M3")
        pen.go("G0", z=_HIGH)
    for one in made.cuts:
        first = len(pen.lines) + 1
        for _ in range(2 if one.again else 1):
            _cut(pen, made, one)
        if one.wrong:
            made.lines = (first, len(pen.lines))
    pen.say("M30" if made.process == "plasma" else "M5")
    if made.process == "router":
        pen.say("M30")
    return "\n".join(pen.lines) + "\n"


def _cut(pen: _Pen, made: Sheet, one: Cut) -> None:
    pen.go("G0", *one.begin)
    if made.process == "plasma":
        pen.say("M3", "G4 P0.5")
    for depth in one.depths:
        if made.process == "router":
            pen.go("G0", *one.begin)
            pen.go("G1", z=depth, feed=FEED["router"] / 3)
        for x, y, centre, clockwise in one.legs:
            pen.leg(x, y, centre, clockwise, one.shift)
        if made.process == "router":
            pen.go("G0", z=_HIGH)
    if made.process == "plasma" and not one.stays_on:
        pen.say("M5")


class _Pen:
    """Writes lines the way a sheet's program is written."""

    def __init__(self, made: Sheet) -> None:
        self.lines: list[str] = []
        self.made = made
        self.at = [0.0, 0.0, 0.0]

    def say(self, *lines: str) -> None:
        for line in lines:
            text = line
            if self.made.numbered:
                text = f"N{10 * (len(self.lines) + 1)} {text}"
            if self.made.bare:
                text = text.replace(" ", "").lower()
            self.lines.append(text)

    def _word(self, letter: str, mm: float) -> str:
        # a file that counts from place to place adds up what its decimals leave
        value = mm / INCH if self.made.inches else mm
        return f" {letter}{value:.6f}"

    def go(
        self,
        code: str,
        x: float | None = None,
        y: float | None = None,
        z: float | None = None,
        feed: float | None = None,
        more: str = "",
    ) -> None:
        text = code
        away = (x if x is None else x + self.made.at[0], y if y is None else y + self.made.at[1], z)
        for k, (letter, to) in enumerate(zip("XYZ", away, strict=True)):
            if to is not None:
                text += self._word(letter, to - self.at[k] if self.made.steps else to)
                self.at[k] = to
        text += more
        if feed is not None:
            text += self._word("F", feed * self.made.feed)
        self.say(text)

    def leg(self, x: float, y: float, centre: Point | None, clockwise: bool, off: Point) -> None:
        feed = FEED[self.made.process]
        if centre is None:
            self.go("G1", x, y, feed=feed)
            return
        here = (self.at[0] - self.made.at[0], self.at[1] - self.made.at[1])
        middle = (centre[0] + off[0], centre[1] + off[1])
        if self.made.radii:
            more = self._word("R", math.dist(here, middle))
        else:
            more = self._word("I", middle[0] - here[0]) + self._word("J", middle[1] - here[1])
        self.go("G2" if clockwise else "G3", x, y, feed=feed, more=more)


# mistakes; each returns the codes that stand for it


def _order(made: Sheet, _: np.random.Generator) -> set[str]:
    made.cuts.insert(0, made.cuts.pop())
    made.cuts[0].wrong = True
    return {"freed-early"}


def _lead(made: Sheet, rng: np.random.Generator) -> set[str]:
    one = made.cuts[int(rng.integers(len(made.cuts) - 1))]
    (x, y), (u, v, *_) = one.begin, one.legs[0]
    far = rng.uniform(1.0, 1.6)
    one.begin = (u + (u - x) * far, v + (v - y) * far)
    one.wrong = True
    return {"cuts-part"}


def _fast(made: Sheet, _: np.random.Generator) -> set[str]:
    made.feed = INCH
    return {"over-feed"}


def _plane(made: Sheet, rng: np.random.Generator) -> set[str]:
    made.plane = str(rng.choice(["G18", "G19"]))
    return {"not-understood"}


def _centre(made: Sheet, rng: np.random.Generator) -> set[str]:
    rounds = [one for one in made.cuts if any(leg[2] for leg in one.legs)]
    one = rounds[int(rng.integers(len(rounds)))]
    way, far = rng.uniform(0, 2 * math.pi), rng.uniform(1.0, 4.0)
    if made.radii:  # only what makes another radius is a mistake there
        way = math.pi
    one.shift = (far * math.cos(way), far * math.sin(way))
    one.wrong = True
    return {"not-understood", "cuts-part", "missed"}


def _left_out(made: Sheet, rng: np.random.Generator) -> set[str]:
    made.cuts.pop(int(rng.integers(len(made.cuts) - 1)))
    return {"missed"}


def _twice(made: Sheet, rng: np.random.Generator) -> set[str]:
    one = made.cuts[int(rng.integers(len(made.cuts)))]
    one.again = one.wrong = True
    return {"cut-again"}


def _header(made: Sheet, _: np.random.Generator) -> set[str]:
    made.header = "G21" if made.inches else "G20"
    return {"unit-suspect"}


def _stays_on(made: Sheet, rng: np.random.Generator) -> set[str]:
    one = made.cuts[int(rng.integers(len(made.cuts)))]
    one.stays_on = True
    return {"left-on"}


def _deep(made: Sheet, rng: np.random.Generator) -> set[str]:
    one = made.cuts[int(rng.integers(len(made.cuts)))]
    one.depths = [*one.depths, -THICK - PASS]
    one.wrong = True
    return {"into-bed"}


Spoil = Callable[[Sheet, np.random.Generator], set[str]]
MISTAKES: dict[str, tuple[tuple[str, ...], Spoil]] = {
    "wrong order": (("plasma", "router"), _order),
    "lead through the part": (("plasma", "router"), _lead),
    "feed 25.4 times too fast": (("plasma", "router"), _fast),
    "plane wrong": (("plasma", "router"), _plane),
    "arc's centre off": (("plasma", "router"), _centre),
    "one cut left out": (("plasma", "router"), _left_out),
    "one cut twice": (("plasma", "router"), _twice),
    "unit of the header wrong": (("plasma", "router"), _header),
    "torch left on": (("plasma",), _stays_on),
    "a pass deeper than the sheet": (("router",), _deep),
}
