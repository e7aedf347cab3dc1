"""What a made-up photo shows, drawn by lot from a seed: sheet, part, camera or scanner, light.

Words used here
    scene     all that the picture depends on
    lamp      where the light comes from, as the way that a shadow reaches per mm of height
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely

from silhueta.core.errors import FileError
from silhueta.core.geometry.path import Floats

# sheets of paper, mm, the long side along x (ISO 216)
_SHEETS: dict[str, tuple[float, float]] = {"A4": (297.0, 210.0), "A3": (420.0, 297.0)}
_EDGE = 18.0  # mm between part and the sheet's edge: all four corners of it have to be seen
_ASKEW = 8.0  # degrees that a part lies askew on its sheet, at most
_SEEDS = 1_000_000  # seeds are smaller, so that a person can type them again


@dataclass(frozen=True, eq=False)
class Scene:
    """What is in the picture, and how it is taken.

    Parameters
    ----------
    seed : int
    part : Polygon or MultiPolygon, mm
        Where it lies on the sheet, whose lower left is at (0, 0).
    size : (width, height), mm
        Of the part before it was laid askew.
    thickness : float, mm
    paper : str
    sheet : (width, height), mm
    scanned : bool
        On a scanner's glass; else seen by a camera.
    tilt, azimuth, roll : float, degrees
        Of the camera off the vertical, where it leans to, about its line of sight; of a scan only
        the roll.
    fill : float
        Of the picture's width, that the sheet takes.
    lamp : (x, y), mm a mm
    uneven : float
        Of the light, that is missing where it is darkest.
    top, wall, bench : float
        Of the light, that they throw back (the paper: 0.82).
    dust : int
        Specks on the sheet.
    noise : float
        Of the light, in a mid tone.

    """

    seed: int
    part: shapely.Geometry
    size: tuple[float, float]
    thickness: float
    paper: str
    sheet: tuple[float, float]
    scanned: bool
    tilt: float
    azimuth: float
    roll: float
    fill: float
    lamp: tuple[float, float]
    uneven: float
    top: float
    wall: float
    bench: float
    dust: int
    noise: float

    def told(self) -> str:
        """Return in a sentence what it is, so that what is measured can be held against it."""
        size = f"laid a little askew, is {self.size[0]:.2f} x {self.size[1]:.2f} mm"
        if self.scanned:
            return f"a scan of an {self.paper} page at 300 dpi; the part, {size}"
        return (
            f"a photo of an {self.paper} sheet, the camera {self.tilt:.0f} degrees off the "
            f"vertical; the part, {size}, {self.thickness:g} mm thick"
        )


def scene_of(parts: Sequence[shapely.Polygon], seed: int) -> Scene:
    """Return a scene with parts in it, all else by lot.

    Parameters
    ----------
    parts : sequence of Polygon, mm
        Where they lie does not count.
    seed : int

    Raises
    ------
    FileError
        If there is nothing, or no sheet is large enough.

    """
    if not parts:
        raise FileError("there is no closed outline to take a picture of")
    rng = np.random.default_rng(seed)
    whole = shapely.unary_union(list(parts))
    # nobody lays a part down quite straight
    askew = np.radians(rng.uniform(-_ASKEW, _ASKEW))
    turn = np.array([[np.cos(askew), np.sin(askew)], [-np.sin(askew), np.cos(askew)]])
    part = shapely.transform(whole, lambda points: points @ turn)
    left, bottom, right, top = part.bounds
    paper = next(
        (
            name
            for name, (wide, high) in _SHEETS.items()
            if right - left <= wide - 2 * _EDGE and top - bottom <= high - 2 * _EDGE
        ),
        None,
    )
    if paper is None:
        most = _SHEETS["A3"]
        raise FileError(
            f"the outline is {right - left:.0f} x {top - bottom:.0f} mm, more than lies on an A3 "
            f"sheet with its corners free ({most[0] - 2 * _EDGE:.0f} x "
            f"{most[1] - 2 * _EDGE:.0f} mm); give a smaller one"
        )
    wide, high = _SHEETS[paper]
    scanned = bool(rng.random() < 0.25)  # phones take most of such pictures
    middle = np.array([(left + right) / 2, (bottom + top) / 2])
    slack = np.array([wide - (right - left), high - (top - bottom)]) / 2 - _EDGE
    place = np.array([wide, high]) / 2 + rng.uniform(-0.6, 0.6, 2) * slack
    lies = shapely.transform(part, lambda points: points - middle + place)
    way = rng.uniform(0, 2 * np.pi)
    reach = rng.uniform(0.2, 0.9)
    return Scene(
        seed=seed,
        part=lies,
        size=(whole.bounds[2] - whole.bounds[0], whole.bounds[3] - whole.bounds[1]),
        thickness=0.0 if scanned else float(rng.choice([1.0, 2.0, 3.0, 5.0, 6.0])),
        paper=paper,
        sheet=(wide, high),
        scanned=scanned,
        tilt=0.0 if scanned else float(rng.uniform(2, 18)),
        azimuth=float(rng.uniform(0, 360)),
        roll=float(rng.uniform(-1, 1) if scanned else rng.uniform(-6, 6)),
        fill=1.0 if scanned else float(rng.uniform(0.66, 0.78)),
        lamp=(float(reach * np.cos(way)), float(reach * np.sin(way))),
        uneven=0.02 if scanned else float(rng.uniform(0.1, 0.4)),
        top=float(rng.uniform(0.03, 0.10)),
        wall=float(rng.uniform(0.06, 0.16)),
        bench=float(rng.uniform(0.10, 0.28)),
        dust=int(rng.integers(4, 40)),
        noise=float(rng.uniform(0.004, 0.015)),
    )


def new_seed() -> int:
    """Return a seed by lot."""
    return int(np.random.default_rng().integers(_SEEDS))


def plate_of(seed: int) -> list[shapely.Polygon]:
    """Return a made-up part: a plate with rounded corners, a bore and two holes, mm."""
    rng = np.random.default_rng(seed + _SEEDS)
    wide, high = float(rng.integers(90, 200)), float(rng.integers(60, 130))
    radius = float(rng.integers(5, 20))
    plate = shapely.box(radius, radius, wide - radius, high - radius).buffer(radius, quad_segs=64)
    bore = shapely.Point(wide * 0.35, high / 2).buffer(float(rng.integers(10, 22)), quad_segs=64)
    holes = [
        shapely.Point(wide - 2 * radius, y).buffer(4.25, quad_segs=32)
        for y in (2 * radius, high - 2 * radius)
    ]
    made = plate.difference(shapely.unary_union([bore, *holes]))
    return [one for one in shapely.get_parts(made) if isinstance(one, shapely.Polygon)]


def rings_of(shape: shapely.Geometry) -> list[Floats]:
    """Return the rings of a shape, (N, 2) mm each."""
    return [
        shapely.get_coordinates(ring)
        for part in shapely.get_parts(shape)
        for ring in (part.exterior, *part.interiors)
    ]
