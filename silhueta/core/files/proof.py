"""What the proof of a written file is."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path as File

from silhueta.core.inspection.figures import Figures


@dataclass(frozen=True)
class Proof:
    """What reading a written file back gave, and what of it is cut and what is marked.

    Parameters
    ----------
    file : Path
    figures : Figures
        Of all that is in it, marks counted in.
    units : {"mm", "in"}
    parts, holes : int
        Solid pieces that are cut, and the holes in them.
    marked : int
        Paths that are marked or engraved.

    """

    file: File
    figures: Figures
    units: str
    parts: int = 0
    holes: int = 0
    marked: int = 0
