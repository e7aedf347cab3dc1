"""What may go wrong while a file is run, and what a whole run comes to."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, NamedTuple

import shapely

Severity = Literal["stop", "hurt", "look"]

# what each event is called, and how bad it is
CODES: dict[str, Severity] = {
    "not-understood": "stop",
    "freed-early": "stop",
    "cut-again": "stop",
    "cuts-part": "stop",
    "missed": "stop",
    "rapid-in-material": "stop",
    "no-pierce": "stop",
    "left-on": "stop",
    "unit-suspect": "stop",
    "off-bed": "stop",
    "over-depth": "stop",
    "off-sheet": "hurt",
    "over-feed": "hurt",
    "into-bed": "hurt",
    "clamp": "hurt",
    "tip-up": "look",
}


class Event(NamedTuple):
    """Something that happens while a file is run.

    code : str
        One of `CODES`.
    at_s : float
        Seconds from the start.
    at : (x, y), mm
        In the file's coordinates.
    line : int
        Of the file, from 1; of a drawing the number of its path.
    text : str
    """

    code: str
    at_s: float
    at: tuple[float, float]
    line: int
    text: str

    @property
    def severity(self) -> Severity:
        """How bad it is."""
        return CODES[self.code]


@dataclass(frozen=True, eq=False)
class Rehearsed:
    """What running a file came to.

    Parameters
    ----------
    events : tuple of Event
        In the order of time.
    pieces : int
        Freed from the sheet, slugs counted in.
    deviation : float or None, mm
        Of what is freed from what was wanted, at most; None where nothing was wanted, or found.
        What tabs hold counts as free here.
    deviation_at : (x, y) or None, mm
        Where that is, in the file's coordinates.
    beyond_radius : float or None, mm
        What is left of the deviation once inner corners are as round as the tool leaves them.
    depth_off : float or None, mm
        By how much a pocket's floor is off its depth at most; None where none was wanted.
    seconds, cut_mm, rapid_mm : float
    pierces : int
    freed, kerfs : tuple of Polygon, mm
        What came free, and what was taken away, in their order.
    moved : (x, y), mm
        By how much what was wanted was moved onto what is cut.

    """

    events: tuple[Event, ...]
    pieces: int = 0
    deviation: float | None = None
    deviation_at: tuple[float, float] | None = None
    beyond_radius: float | None = None
    depth_off: float | None = None
    seconds: float = 0.0
    cut_mm: float = 0.0
    rapid_mm: float = 0.0
    pierces: int = 0
    freed: tuple[shapely.Polygon, ...] = ()
    kerfs: tuple[shapely.Polygon, ...] = ()
    moved: tuple[float, float] = (0.0, 0.0)

    @property
    def stops(self) -> bool:
        """Whether something stops the cut."""
        return any(one.severity == "stop" for one in self.events)
