"""What a program comes to, move by move, and what is in force while it is read.

Words used here
    deed      one thing that the machine does: a move, the tool on or off, a wait, a change
    system    one of nine coordinate systems (3.2.2), told by G54 to G59.3
    shift     from a program's own numbers to the coordinates that deeds are told in, mm
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Literal, NamedTuple

from silhueta.core.errors import FileError

DeedKind = Literal["rapid", "feed", "on", "off", "tool", "wait", "stop", "end", "speed"]
Place = tuple[float, float, float]
INCH = 25.4  # mm, by its definition


class NotUnderstoodError(FileError):
    """Something in a program that is not known, or cannot be: `what`; `line` counts from 1."""

    def __init__(self, text: str, line: int) -> None:
        super().__init__(f"line {line}: {text}")
        self.line, self.what = line, text


class UnitMissingError(NotUnderstoodError):
    """A program that does not say whether its numbers are mm or inches."""


class Deed(NamedTuple):
    """One thing that a machine does.

    kind : str
        "speed" tells of the spindle's or beam's value.
    start, end : (x, y, z), mm
        Of moves, in the coordinates that the program begins with.
    centre : (x, y) or None, mm
        Of an arc in the plane X Y.
    turn : float, radians
        Swept by an arc, positive counter-clockwise.
    feed : float, mm/min
    value : float
        Tool's number, seconds of a wait, spindle's speed.
    line : int
        Of the program, from 1.
    """

    kind: DeedKind
    line: int
    start: Place = (0.0, 0.0, 0.0)
    end: Place = (0.0, 0.0, 0.0)
    centre: tuple[float, float] | None = None
    turn: float = 0.0
    feed: float = 0.0
    value: float = 0.0


@dataclass
class State:
    """What is in force (3.4); lengths in mm."""

    at: Place = (0.0, 0.0, 0.0)
    scale: float = 0.0  # mm per unit; 0: not said yet
    motion: int | None = None
    absolute: bool = True
    flat: bool = True  # the plane X Y
    feed: float = 0.0
    tool: int = 0
    ended: bool = False
    system: int = 1  # of the nine, G54
    systems: dict[int, Place] = field(default_factory=dict)  # where a program put their zeros
    moved: bool = False  # in the present system, so that another one is somewhere else
    offset: Place = (0.0, 0.0, 0.0)  # G92's
    kept_offset: Place = (0.0, 0.0, 0.0)  # what G92.2 put aside, for G92.3
    to_old_z: bool = True  # G98: a canned cycle ends where it began; G99: at R
    sticky: dict[str, float] = field(default_factory=dict)  # words of a canned cycle that stay

    @property
    def shift(self) -> Place:
        """From the program's numbers to the coordinates of deeds."""
        x, y, z = self.systems.get(self.system, (0.0, 0.0, 0.0))
        a, b, c = self.offset
        return x + a, y + b, z + c

    def mm(self, line: int) -> float:
        """Return how many mm one of the program's units has.

        Raises
        ------
        UnitMissingError
            If nothing said so yet.

        """
        if not self.scale:
            what = "nothing says whether numbers are mm (G21) or inches (G20)"
            raise UnitMissingError(what, line)
        return self.scale

    def place(self, values: dict[str, float], line: int) -> Place:
        """Return where the words X, Y and Z lead to from where it is."""
        scale = self.mm(line)
        found = []
        for letter, here, shift in zip("XYZ", self.at, self.shift, strict=True):
            if letter not in values:
                found.append(here)
            else:
                found.append(values[letter] * scale + (shift if self.absolute else here))
        return found[0], found[1], found[2]
