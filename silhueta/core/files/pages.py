"""How an outline lies on sheets of paper, at its own size.

Words used here
    content   the outline with room round it, for its dimensions where that takes no more sheets
    window    the part of the content that one sheet shows
    bar       a line of 100 mm in each direction, to see what the printer makes of it
    strip     room along the left and the lower side of a sheet, where the bars are
"""

from __future__ import annotations

import math
from typing import NamedTuple

from silhueta.core.datum.sheets import SIZES, TITLES
from silhueta.core.errors import FileError
from silhueta.core.geometry.measure import Box

EDGE = 8.0  # mm that printers leave white, and a little
STRIP = 11.0  # mm for the bars and what they say
HEAD = 17.0  # mm for what the part is
OVERLAP = 10.0  # mm that neighbours both show, to be laid on each other
BAR = 100.0  # mm between the middles of a bar's end lines
_ROOM_LOW, _ROOM_HIGH = 12.0, 3.0  # mm round the outline, for dimensions below and to the left
_ROOM_LEAST = 1.0  # mm round the outline, where they would take more sheets
_MOST_SHEETS = 200  # nobody glues more together
_AT = 4.5  # mm from the strip's inner side to its bar


class Sheet(NamedTuple):
    """One sheet: its column and row from the lower left, and what it shows, in mm of the content.

    `at` is where its window's lower left lies on the paper, mm.
    """

    column: int
    row: int
    window: Box
    at: tuple[float, float]


class Pages(NamedTuple):
    """All sheets of a proof.

    size : (width, height), mm
        Of a sheet.
    factor : (x, y)
        By which all is drawn, so that the printer that was measured makes it right.
    beside : bool
        Whether there is room for dimensions beside the outline.
    """

    size: tuple[float, float]
    factor: tuple[float, float]
    sheets: tuple[Sheet, ...]
    columns: int
    rows: int
    beside: bool = True

    def bars(self) -> tuple[Box, Box]:
        """Return both bars, from end to end, mm on the paper: along x, along y."""
        low = EDGE + STRIP
        at = EDGE + STRIP - _AT
        return (
            (low, at, low + BAR * self.factor[0], at),
            (at, low, at, low + BAR * self.factor[1]),
        )


def laid_out(box: Box, paper: str, printed: tuple[float, float]) -> Pages:
    """Return how content lies on paper, turned whichever way takes fewer sheets.

    Parameters
    ----------
    box : (left, bottom, right, top), mm
        Of the outline.
    paper : {"a4", "a3", "letter"}
    printed : (x, y), mm
        What the printer made of the bars at its last print.

    Raises
    ------
    FileError
        If it would be more sheets than anybody lays together.

    """
    left, bottom, right, top = box
    rooms = {True: (_ROOM_LOW, _ROOM_HIGH), False: (_ROOM_LEAST, _ROOM_LEAST)}
    contents = {
        beside: (left - low, bottom - low, right + high, top + high)
        for beside, (low, high) in rooms.items()
    }
    factor = (BAR / printed[0], BAR / printed[1])
    wide, high = SIZES[paper]
    ways = [
        _way(content, size, factor)._replace(beside=beside)
        for beside, content in contents.items()
        for size in ((wide, high), (high, wide))
    ]
    best = min(ways, key=lambda pages: pages.columns * pages.rows)
    if best.columns * best.rows > _MOST_SHEETS:
        raise FileError(
            f"the proof would have {best.columns * best.rows:,} sheets of {TITLES[paper]}; take "
            "larger paper, or cut the part into sections at Build"
        )
    return best._replace(sheets=tuple(_sheets(contents[best.beside], best)))


def _way(content: Box, size: tuple[float, float], factor: tuple[float, float]) -> Pages:
    counts = []
    for k in (0, 1):
        room = _room(size, factor)[k]
        needed = content[k + 2] - content[k]
        counts.append(1 if needed <= room else math.ceil((needed - OVERLAP) / (room - OVERLAP)))
    return Pages(size, factor, (), counts[0], counts[1])


def _room(size: tuple[float, float], factor: tuple[float, float]) -> tuple[float, float]:
    """Return how much of the content a sheet has room for, mm both ways."""
    return (
        (size[0] - 2 * EDGE - STRIP) / factor[0],
        (size[1] - 2 * EDGE - STRIP - HEAD) / factor[1],
    )


def _sheets(content: Box, pages: Pages) -> list[Sheet]:
    room = _room(pages.size, pages.factor)
    found = []
    for row in range(pages.rows):
        for column in range(pages.columns):
            low, high, at = [], [], []
            for k, (place, count) in enumerate(((column, pages.columns), (row, pages.rows))):
                spare = 0.0
                start = content[k] + place * (room[k] - OVERLAP)
                if count == 1:  # in the middle of its sheet
                    spare = (room[k] - (content[k + 2] - content[k])) / 2
                    start = content[k]
                low.append(start)
                high.append(min(start + room[k], content[k + 2]))
                at.append(EDGE + STRIP + spare * pages.factor[k])
            found.append(Sheet(column, row, (low[0], low[1], high[0], high[1]), (at[0], at[1])))
    return found
