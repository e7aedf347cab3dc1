"""What the proof of a written file is."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path as File

from silhueta.core.inspection.figures import Figures


@dataclass(frozen=True)
class Proof:
    """What reading a written file back gave."""

    file: File
    figures: Figures
    units: str
