"""Two photographed jobs of Oficina Maré Alta: the worn rudder strap, and a valve cover's gasket.

The strap lies on an A4 sheet, seen at an angle under one lamp; the gasket on the gauge sheet. Both
pictures are rendered from the shapes below (tools/demo_photos.py), so the truth is known.
"""

from __future__ import annotations

from pathlib import Path as File
from typing import NamedTuple

import numpy as np

from silhueta.core.datums import Datum, Optics
from silhueta.core.geometry.path import Floats
from silhueta.core.job import Job, PictureFile, TraceSettings

_HERE = File(__file__).parent
STRAP_PICTURE = _HERE / "rudder_strap.jpg"
COVER_PICTURE = _HERE / "valve_cover_gasket.jpg"
STRAP_MM = 6.0  # thickness
COVER_MM = 2.0
PINTLE_MM = 22.0  # diameter of the strap's bore


class Strap(NamedTuple):
    """A flat strap with an eye at one end, worn a little along its edges; mm on the sheet."""

    x: float = 148.0
    y: float = 105.0
    turn: float = 0.22
    size: tuple[float, float] = (196.0, 52.0)
    thickness: float = STRAP_MM
    holes: tuple[tuple[float, float, float], ...] = (
        (-72.0, 0.0, PINTLE_MM),
        (0.0, 0.0, 8.5),
        (40.0, 0.0, 8.5),
        (80.0, 0.0, 8.5),
    )

    def distance(self, points: Floats) -> Floats:
        """Return how far points (N, 2) lie outside the strap, mm; negative inside."""
        c, s = np.cos(self.turn), np.sin(self.turn)
        x, y = points[:, 0] - self.x, points[:, 1] - self.y
        u, v = c * x + s * y, c * y - s * x
        wear = 0.25 * np.sin(u / 9.0) * np.sin(u / 31.0 + 1.0)
        qx, qy = np.abs(u - 13.0) - 85.0 + 6.0, np.abs(v) - 19.0 + 6.0 - wear
        bar = np.hypot(np.maximum(qx, 0), np.maximum(qy, 0))
        bar = bar + np.minimum(np.maximum(qx, qy), 0) - 6.0
        far = np.minimum(bar, np.hypot(u + 72.0, v) - 26.0)
        for hx, hy, diameter in self.holes:
            far = np.maximum(far, diameter / 2 - np.hypot(u - hx, v - hy))
        return np.asarray(far)


def strap_job() -> Job:
    """Return the strap's job: its photo, the A4 sheet found in it, its thickness."""
    from silhueta.core.datum.look_for import look_for_sheet
    from silhueta.core.datum.sheets import SIZES
    from silhueta.core.picture.decode import decode

    picture = PictureFile(STRAP_PICTURE.read_bytes(), STRAP_PICTURE.name)
    sheet = look_for_sheet(decode(picture), "a4", SIZES["a4"])
    return _job("Rudder strap", picture, sheet, STRAP_MM)


def cover_job() -> Job:
    """Return the gasket's job: its photo, the gauge sheet found in it, its thickness."""
    from silhueta.core.datum.look_for import look_for_gauge
    from silhueta.core.picture.decode import decode

    picture = PictureFile(COVER_PICTURE.read_bytes(), COVER_PICTURE.name)
    return _job("Valve cover gasket", picture, look_for_gauge(decode(picture)), COVER_MM)


def _job(name: str, picture: PictureFile, datum: Datum, thickness: float) -> Job:
    return Job(
        name=name,
        picture=picture,
        datums=(datum,),
        optics=Optics(thickness),
        trace=TraceSettings(speck=5.0, mode="part", read="part"),
    )
