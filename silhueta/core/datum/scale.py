"""From datums to a scale; the one place where pixels become millimetres.

Words used here
    scale       how many mm a pixel is, and the frame that goes with it
    picture     px, x right, y down, (0, 0) the outer corner of the top-left pixel
    frame       mm, x right, y up, (0, 0) the outer corner of the bottom-left pixel
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from silhueta.core.errors import ScaleError
from silhueta.core.geometry.path import CUBIC, Floats, Path

_FINEST, _COARSEST = 1e-5, 1e3  # mm per px between which a scale is believed


@dataclass(frozen=True)
class Scale:
    """How a picture of `height_px` lies in the frame.

    Parameters
    ----------
    mm_per_px : float
    height_px : int
    kind : str
        What fixed it: "dpi", "pixel-size", "overall-width", "overall-height", "known-length".

    """

    mm_per_px: float
    height_px: int
    kind: str

    def __post_init__(self) -> None:
        if not _FINEST <= self.mm_per_px <= _COARSEST:
            raise ScaleError(
                f"this makes a pixel {self.mm_per_px:.3g} mm, which cannot be; "
                "check the length and its unit"
            )

    def to_mm(self, points: Floats) -> Floats:
        """Return `points` (N, 2) in px as mm in the frame."""
        return np.column_stack(
            [points[:, 0] * self.mm_per_px, (self.height_px - points[:, 1]) * self.mm_per_px]
        )

    def to_px(self, points: Floats) -> Floats:
        """Return `points` (N, 2) in mm as px in the picture."""
        return np.column_stack(
            [points[:, 0] / self.mm_per_px, self.height_px - points[:, 1] / self.mm_per_px]
        )

    def path_to_mm(self, path: Path) -> Path:
        """Return a path in px as mm; what turned left on the page still does, with y up."""
        controls = path.controls
        if (path.kinds == CUBIC).any():
            controls = self.to_mm(controls.reshape(-1, 2)).reshape(controls.shape)
            controls = np.where((path.kinds == CUBIC)[:, None, None], controls, 0.0)
        return type(path)(self.to_mm(path.nodes), path.kinds, -path.bulges, controls)
