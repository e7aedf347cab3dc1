"""Words that were set as outlines, and can be typed anew.

A word stays text as long as nobody changes its outlines by other means; then it is outlines only.
"""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Lettering:
    """Words, and how they are set.

    Parameters
    ----------
    text : str
        Lines parted by line breaks.
    cap_height : float, mm
    font : str
        Name of a shipped or installed font, or a file.
    spacing : float, mm
        Added after every letter.
    arc : float, mm
        Diameter of the circle that the words stand on, reading clockwise along its top; below zero
        they hang along its bottom, reading left to right. 0: on a straight line.

    """

    text: str
    cap_height: float
    font: str = "Plain"
    spacing: float = 0.0
    arc: float = 0.0


@dataclass(frozen=True)
class Words:
    """Lettering in an outline.

    Parameters
    ----------
    lettering : Lettering
    keys : tuple of int
        Of its contours.
    middle : (x, y), mm
        Where the middle of its box was put.

    """

    lettering: Lettering
    keys: tuple[int, ...]
    middle: tuple[float, float] = (0.0, 0.0)
