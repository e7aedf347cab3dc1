"""From datums to the plane that is measured, and how sure that is.

Words used here
    facts     what the picture itself tells: its size, the camera's focal length, how it leaned
    base      the datum that gives the plane: gauge sheet, sheet, or none (seen from straight above)
    nudge     one thing known only so well, moved by its standard uncertainty
    spread    the planes that come of each nudge; their root sum of squares is the uncertainty

The uncertainty is that of the law of propagation, JCGM 100:2008 (GUM) 5.1, with differences in
place of derivatives and without correlation.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from silhueta.core.datum.camera import (
    Lens,
    Plane,
    box_corners,
    focal_from_35mm,
    focal_from_plane,
    homography,
    level_plane,
)
from silhueta.core.datum.fixing import describe, fixing_datum, kind_of, leaves_lean, mm_per_px, rise
from silhueta.core.datum.nudges import DPI_SIGMA, FocalSource, changed, nudges
from silhueta.core.datums import (
    Datum,
    DpiDatum,
    GaugeDatum,
    Lean,
    LengthDatum,
    Optics,
    OverallDatum,
    PageDatum,
    PixelDatum,
    RoundDatum,
    SheetDatum,
)
from silhueta.core.errors import ScaleError
from silhueta.core.geometry.path import Floats
from silhueta.core.job import Job
from silhueta.core.picture.decode import Picture

ASSUMED_35MM = 26.0  # a phone's main camera, common practice
_EDGE_PX = 0.045  # standard uncertainty of one edge of the part, px
_CONTRADICTION = 5.0  # standard deviations over which two datums cannot both be right
LEAN = math.radians(1.0)  # of a camera held level by eye, each way; common practice, no source
_UNTOLD_LEAN = (
    "That counts in how the camera may have leaned, which one length or round does not tell: add a "
    "length on the part's other side, or lay a sheet under it."
)
_STRETCH = 4.0  # standard deviations over which a scanner's x and y differ


@dataclass(frozen=True)
class Facts:
    """Width and height in px; 35-mm equivalent focal length and lean, where they are told."""

    width: int
    height: int
    focal35: float | None = None
    lean: Lean | None = None


@dataclass(frozen=True)
class Told:
    """What one datum says, held against the solution."""

    datum: Datum
    residual_mm: float  # measured less given
    sigma_mm: float


@dataclass(frozen=True, eq=False)
class Solution:
    """The measured plane.

    Parameters
    ----------
    plane : Plane
        Of the measured face: the datum's plane, raised to the part's top.
    kind : str
        As reports name it.
    level : bool
        Whether every pixel is the same square: nothing to rectify.
    camera_height : float or None
        mm above the datum's plane, where a camera's place is known.
    focal_source : str
    residual_px : float or None
        Of the base's edges or marks.
    told : tuple of Told
    spread : tuple of Plane
    remedy : str
        What would make it much surer; empty where nothing in particular would.
    lean : Lean or None
        How the camera leaned, where that was seen in the picture and counts.

    """

    plane: Plane
    kind: str
    level: bool
    camera_height: float | None
    focal_source: FocalSource
    residual_px: float | None
    told: tuple[Told, ...]
    spread: tuple[Plane, ...]
    remedy: str = ""
    lean: Lean | None = None

    def length(self, start: tuple[float, float], end: tuple[float, float]) -> tuple[float, float]:
        """Return the distance of two raw px, mm, and its standard uncertainty, mm."""
        points = np.array([start, end], np.float64)
        long = _distance(self.plane, points)
        edges = 2 * (_EDGE_PX * float(self.plane.mm_per_px(points).mean())) ** 2
        return long, math.sqrt(
            edges + sum((_distance(plane, points) - long) ** 2 for plane in self.spread)
        )

    def relative_uncertainty(self, px: Floats) -> Floats:
        """Return the relative standard uncertainty of short lengths at raw px (N, 2)."""
        size = self.plane.mm_per_px(px)
        total = np.zeros(len(px))
        for plane in self.spread:
            total += (plane.mm_per_px(px) / size - 1) ** 2
        return np.sqrt(total)


def facts_of(picture: Picture) -> Facts:
    """Return the facts of a decoded picture."""
    return Facts(picture.width, picture.height, picture.focal35)


def solve(job: Job, facts: Facts) -> Solution:
    """Return the measured plane of a job, from all its datums.

    An overall datum counts only when it is alone, and then after the trace; until then the plane
    is that of a provisional pixel.

    Raises
    ------
    ScaleError
        If datums contradict each other, or the thickness reaches the camera.

    """
    datums, optics = job.datums, job.optics
    base = fixing_datum(job)
    facts = replace(facts, lean=job.lean if leaves_lean(job) else None)
    focal, source = _focal(base, optics, facts)
    lens = Lens(focal, (facts.width / 2, facts.height / 2), _k1(base, focal, facts))
    plane = _plane(datums, base, optics, lens, facts)
    nudged = [
        _plane(*changed(change, datums, optics, lens), facts)
        for change in nudges(datums, optics, lens, source)
    ]
    rises = rise(optics, base) != 0
    by_camera = source in ("typed", "file") or rises or optics.thickness_open
    leaned: list[Plane] = []
    if by_camera or job.trace.read == "part":
        nudged += _leaned(datums, base, optics, lens, facts)
        leaned = _leaned(datums, base, Optics(0.0, optics.focal35), lens, facts)
    told = _told(datums, plane, lens, optics, facts, leaned)
    _refuse_contradiction(told)
    camera = isinstance(base, SheetDatum | GaugeDatum)
    seen = camera or (
        isinstance(base, LengthDatum | RoundDatum) and (rises or source in ("typed", "file"))
    )
    base_plane = _plane(datums, base, Optics(0.0, optics.focal35), lens, facts)
    return Solution(
        plane=plane,
        kind=kind_of(base),
        level=not camera and _is_level(plane),
        camera_height=float(base_plane.eye[2]) if seen else None,
        focal_source=source,
        residual_px=base.residual
        if isinstance(base, SheetDatum)
        else _gauge_residual(base, plane)
        if isinstance(base, GaugeDatum)
        else None,
        told=told,
        spread=tuple(nudged),
        remedy=_UNTOLD_LEAN if leaned and len(told) == 1 and facts.lean is None else "",
        lean=facts.lean,
    )


def _distance(plane: Plane, px: Floats) -> float:
    one, two = plane.to_mm(px)
    return float(np.hypot(*(two - one)))


def _is_level(plane: Plane) -> bool:
    m = plane.matrix / plane.matrix[2, 2]
    return bool(
        plane.lens.k1 == 0
        and np.abs(m[2, :2]).max() == 0
        and m[0, 1] == 0
        and m[1, 0] == 0
        and abs(m[0, 0] + m[1, 1]) < 1e-9 * abs(m[0, 0])
    )


def _k1(base: Datum, focal: float, facts: Facts) -> float:
    """Return k1 for this focal length: the bend at the picture's corner is what was measured."""
    if not isinstance(base, SheetDatum | GaugeDatum):
        return 0.0
    return base.bend * (focal / math.hypot(facts.width / 2, facts.height / 2)) ** 2


def _focal(base: Datum, optics: Optics, facts: Facts) -> tuple[float, FocalSource]:
    size = (facts.width, facts.height)
    if optics.focal35 is not None:
        return focal_from_35mm(optics.focal35, *size), "typed"
    if isinstance(base, GaugeDatum) and base.focal is not None:
        return base.focal, "gauge sheet"
    if facts.focal35 is not None:
        return focal_from_35mm(facts.focal35, *size), "file"
    assumed = focal_from_35mm(ASSUMED_35MM, *size)
    if isinstance(base, SheetDatum):
        centre = (facts.width / 2, facts.height / 2)
        lens = Lens(assumed, centre, _k1(base, assumed, facts))
        matrix = homography(box_corners(*base.size), lens.straighten(np.array(base.corners)))
        found = focal_from_plane(matrix, centre)
        if found is not None and 0.6 * assumed < found < 4 * assumed:
            return found, "the sheet's perspective"
    return assumed, "assumed"


def _plane(datums: Sequence[Datum], base: Datum, optics: Optics, lens: Lens, facts: Facts) -> Plane:
    if isinstance(base, SheetDatum):
        ideal = lens.straighten(np.array(base.corners, np.float64))
        plane = Plane(homography(box_corners(*base.size), ideal), lens)
    elif isinstance(base, GaugeDatum):
        points = np.array(base.points)
        ideal = lens.straighten(points[:, :2])
        plane = Plane(homography(points[:, 2:] * base.bar / 100, ideal), lens)
    else:
        plane = _level(datums, base, lens, facts)
        if facts.lean is not None:
            plane = _leaning(datums, plane, facts.lean.about)
    if isinstance(base, SheetDatum | GaugeDatum):
        plane = plane.scaled(_common_factor(datums, plane, base))
    elif not isinstance(base, LengthDatum | RoundDatum):
        return plane  # a scanner's glass: nothing stands nearer to a camera
    return plane.raised(rise(optics, base))


def _leaned(
    datums: Sequence[Datum], base: Datum, optics: Optics, lens: Lens, facts: Facts
) -> list[Plane]:
    """Return the planes of a camera that leaned a little otherwise: lengths do not tell."""
    if not leaves_lean(Job(datums=tuple(datums))):
        return []
    level = _level(datums, base, lens, facts)
    (x, y), steps = (0.0, 0.0), ((LEAN, 0.0), (0.0, LEAN))
    if facts.lean is not None:
        (x, y), steps = facts.lean.about, facts.lean.spread
    leaning = (_leaning(datums, level, (x + dx, y + dy)) for dx, dy in steps)
    return [plane.raised(rise(optics, base)) for plane in leaning]


def _leaning(datums: Sequence[Datum], level: Plane, about: tuple[float, float]) -> Plane:
    """Return the plane as a camera sees it that leans; the lengths on it stay what they are."""
    told = [d for d in datums if isinstance(d, LengthDatum | RoundDatum)]
    straight = [_held_against(datum, level) for datum in told]
    weights = [(given / sigma) ** 2 for _, given, sigma in straight]
    plane = level.leaned(*about)
    factor = sum(  # what the lengths come to all together is what was fitted
        w * math.log(was / _held_against(datum, plane)[0])
        for w, (was, _, _), datum in zip(weights, straight, told, strict=True)
    )
    return plane.scaled(math.exp(factor / sum(weights)))


def _level(datums: Sequence[Datum], base: Datum, lens: Lens, facts: Facts) -> Plane:
    if isinstance(base, PageDatum):
        width, height = base.size
        if (width > height) != (facts.width > facts.height):
            width, height = height, width
        across, down = width / facts.width, height / facts.height
        if abs(math.log(across / down)) > 0.03:
            raise ScaleError(
                f"the picture is {facts.width} × {facts.height} px, which is not the shape of a "
                f"whole {base.name.upper()} page; scan the whole page, or use another datum"
            )
        mean = math.sqrt(across * down)  # a few pixels cut off are no stretch
        return level_plane(mean, mean, facts.height, lens)
    if isinstance(base, RoundDatum):
        size = base.mm / (2 * base.radii[0])
        plane = level_plane(size, size, facts.height, lens)
        if base.tilt:
            turn = np.array(
                [
                    [math.cos(base.angle), -math.sin(base.angle)],
                    [math.sin(base.angle), math.cos(base.angle)],
                ]
            )
            squash = turn @ np.diag([1.0, base.radii[1] / base.radii[0]]) @ turn.T
            flip = np.diag([1.0, -1.0])
            plane = plane.turned(flip @ squash @ flip)
        return plane
    if isinstance(base, LengthDatum):
        lengths = [datum for datum in datums if isinstance(datum, LengthDatum)]
        camera = facts.focal35 is not None
        across, down = _from_lengths(lengths, may_stretch=not camera)
        return level_plane(across, down, facts.height, lens)
    size = 0.1 if isinstance(base, OverallDatum) else mm_per_px(base, (0.0, 0.0))
    return level_plane(size, size, facts.height, lens)


def _from_lengths(lengths: Sequence[LengthDatum], may_stretch: bool) -> tuple[float, float]:
    """Return mm per px across and down, by least squares; different only when that is proven."""
    d = np.array([np.subtract(x.end, x.start) for x in lengths])
    mm = np.array([x.mm for x in lengths])
    long = np.hypot(*d.T)
    sigma = np.array([x.sigma for x in lengths]) * math.sqrt(2)
    weight = 1 / sigma**2
    one = float((weight * mm * long).sum() / (weight * long**2).sum())
    if not may_stretch or len(lengths) < 2:
        return one, one
    # mm² = (a dx)² + (b dy)², linear in a² and b²
    rows = d**2 * (1 / (2 * mm * one * sigma))[:, None]
    given = mm**2 / (2 * mm * one * sigma)
    if np.linalg.cond(rows) > 50:
        return one, one
    covariance = np.linalg.inv(rows.T @ rows)
    squares = covariance @ rows.T @ given
    if squares.min() <= 0:
        return one, one
    across, down = np.sqrt(squares)
    # the difference of a² and b², over its spread
    apart = covariance[0, 0] + covariance[1, 1] - 2 * covariance[0, 1]
    proven = abs(squares[0] - squares[1]) > _STRETCH * math.sqrt(apart)
    plausible = abs(math.log(across / down)) < 0.05
    return (float(across), float(down)) if proven and plausible else (one, one)


def _common_factor(datums: Sequence[Datum], plane: Plane, base: Datum) -> float:
    """Return by how much lengths and rounds say that the base's plane is to be enlarged."""
    _, base_sigma = _base_length(plane, base)
    total, weights = 0.0, 1 / base_sigma**2
    for datum in datums:
        if isinstance(datum, LengthDatum | RoundDatum):
            measured, given, sigma = _held_against(datum, plane)
            weight = (given / sigma) ** 2
            total += weight * math.log(given / measured)
            weights += weight
    return math.exp(total / weights)


def _base_length(plane: Plane, base: Datum) -> tuple[float, float]:
    """Return a length typical of the base, mm, and its relative standard uncertainty."""
    if isinstance(base, SheetDatum):
        px = np.array(base.corners)
        sigma = base.sigma
    else:
        assert isinstance(base, GaugeDatum)
        px = np.array(base.points)[:, :2]
        sigma = base.sigma / math.sqrt(len(px) / 4)
    long = float(np.hypot(*np.ptp(plane.to_mm(px), axis=0)))
    return long, sigma * float(plane.mm_per_px(px).mean()) * math.sqrt(2) / long


def _held_against(datum: LengthDatum | RoundDatum, plane: Plane) -> tuple[float, float, float]:
    """Return what the plane makes of a datum, what the datum says, and its sigma; all mm."""
    if isinstance(datum, LengthDatum):
        px = np.array([datum.start, datum.end], np.float64)
    else:
        px = ellipse_points(datum)
        mm = plane.to_mm(px)
        measured = float(2 * np.hypot(*(mm - mm.mean(0)).T).mean())
        return measured, datum.mm, 2 * datum.sigma * float(plane.mm_per_px(px).mean())
    measured = _distance(plane, px)
    return measured, datum.mm, math.sqrt(2) * datum.sigma * float(plane.mm_per_px(px).mean())


def ellipse_points(datum: RoundDatum, count: int = 64) -> Floats:
    """Return points of a round datum's ellipse, (count, 2) raw px."""
    turn = np.arange(count) * (2 * np.pi / count)
    c, s = math.cos(datum.angle), math.sin(datum.angle)
    u, v = datum.radii[0] * np.cos(turn), datum.radii[1] * np.sin(turn)
    return np.column_stack([datum.centre[0] + c * u - s * v, datum.centre[1] + s * u + c * v])


def _told(
    datums: Sequence[Datum],
    plane: Plane,
    lens: Lens,
    optics: Optics,
    facts: Facts,
    leaned: Sequence[Plane],
) -> tuple[Told, ...]:
    told = []
    base = fixing_datum(Job(datums=tuple(datums)))
    ground = plane if rise(optics, base) == 0 else None
    for datum in datums:
        if isinstance(datum, LengthDatum | RoundDatum):
            if ground is None:
                ground = _plane(datums, base, Optics(0.0, optics.focal35), lens, facts)
            measured, given, sigma = _held_against(datum, ground)
            leans = (_held_against(datum, other)[0] - measured for other in leaned)
            told.append(Told(datum, measured - given, math.hypot(sigma, *leans)))
        elif isinstance(datum, DpiDatum | PixelDatum | PageDatum):
            size = mm_per_px(datum, (0.0, 0.0))
            middle = np.array([[facts.width / 2, facts.height / 2]])
            got = float(plane.mm_per_px(middle)[0])
            long = 100.0
            told.append(Told(datum, long * (got / size - 1), long * DPI_SIGMA))
        elif isinstance(datum, SheetDatum | GaugeDatum):
            told.append(Told(datum, 0.0, 0.0))
    return tuple(told)


def _refuse_contradiction(told: Sequence[Told]) -> None:
    lengths = [t for t in told if isinstance(t.datum, LengthDatum | RoundDatum)]
    if not lengths or len(told) < 2:
        return
    wrong = [
        t
        for t in lengths
        if abs(t.residual_mm) > max(_CONTRADICTION * t.sigma_mm, 0.01 * t.datum.mm)  # type: ignore[union-attr]
    ]
    if wrong:
        listed = "; ".join(f"{describe(t.datum)} is {t.residual_mm:+.2f} mm off" for t in lengths)
        raise ScaleError(
            f"the datums contradict each other: {listed}. Check each length and its two points, "
            "or remove the wrong one"
        )


def _gauge_residual(gauge: GaugeDatum, plane: Plane) -> float:
    points = np.array(gauge.points)
    ground = homography(points[:, 2:], plane.lens.straighten(points[:, :2]))
    back = Plane(ground, plane.lens).to_px(points[:, 2:])
    return float(np.sqrt(((back - points[:, :2]) ** 2).sum(1).mean() / 2))
