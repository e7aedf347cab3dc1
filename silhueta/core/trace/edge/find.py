"""The contours worth an outline: over the speck limit, without the picture's rim, not noise."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.datum.fixing import kind_of, mm_per_px
from silhueta.core.datum.scale import Scale
from silhueta.core.datums import Datum, OverallDatum
from silhueta.core.errors import TooMuchError, TraceError
from silhueta.core.geometry.path import Floats
from silhueta.core.picture.decode import Picture
from silhueta.core.trace.edge.contours import PixelContours, contours
from silhueta.core.trace.edge.field import Field, field_of
from silhueta.core.trace.edge.rim import rims, without
from silhueta.core.trace_settings import Patch, TraceSettings
from silhueta.core.wording import counted
from silhueta.core.work import Work

_SMALLEST = 4.0  # px²: less is no loop
_MANY_POINTS = 1_000_000  # from which a person is asked
_MANY_LOOPS = 20_000
_ENOUGH_LOOPS = 1_000  # that the proposed speck limit leaves
_MOST_POINTS = 40_000_000

Placed = Sequence[tuple[Patch, Floats]]


class Found(NamedTuple):
    """What was found: the field, its contours in px, mm per px, and rims left out."""

    field: Field
    contours: PixelContours
    size: float
    rims: int


def find(
    picture: Picture,
    datum: Datum,
    settings: TraceSettings,
    mask: NDArray[np.bool_] | None = None,
    *,
    thick: bool = False,
    patches: Placed = (),
    work: Work | None = None,
) -> Found:
    """Return the contours of the part in `picture`.

    An overall datum measures what the speck limit leaves, and limits in mm² need the scale: the
    two are settled in turn.

    Raises
    ------
    TraceError
        If there is no edge, or nothing over the speck limit.
    TooMuchError
        If there is so much of it that it must be noise, unless the settings say `many`.

    """
    work = work or Work()

    def fields(size: float) -> Field:
        with work.stage("threshold"):
            return field_of(picture, settings, size, mask, thick=thick, patches=patches)

    if not isinstance(datum, OverallDatum):
        size = Scale(mm_per_px(datum, (0.0, 0.0)), picture.height, kind_of(datum)).mm_per_px
        field = fields(size)
        with work.stage("contours"):
            return _limited(*_rimless(field, settings, size), settings, size)
    first = Scale(mm_per_px(datum, (picture.width, picture.height)), 1, "").mm_per_px
    field = fields(first)
    with work.stage("contours"):
        field, found, left_out = _rimless(field, settings, 0.0)
    got = _limited(field, found, left_out, settings, 0.0)
    size = mm_per_px(datum, _extent(got.contours))
    for _ in range(8):
        got = _limited(field, found, left_out, settings, size)
        settled = mm_per_px(datum, _extent(got.contours))
        if settled == size:
            break
        size = settled
    return got


def refind(got: Found, field: Field, settings: TraceSettings) -> Found:
    """Return what is found in a changed field, at the size that is known."""
    again, found, _ = _rimless(field, settings, got.size)
    return _limited(again, found, got.rims, settings, got.size)


def _rimless(
    field: Field, settings: TraceSettings, size: float
) -> tuple[Field, PixelContours, int]:
    least = min(settings.speck, _pinhole(settings)) / size**2 if size else 0.0
    least = max(least, _SMALLEST)
    found = contours(field.values, field.level, dark=field.dark, least_area=least)
    which = rims(found, field.values.shape)
    if not which:
        return field, found, 0
    cleared = without(field.values, field.level, field.dark, found, which)
    again = contours(cleared, field.level, dark=field.dark, least_area=least)
    if len(again) == 0:  # then it is the part
        return field, found, 0
    return field._replace(values=cleared), again, len(which)


def _pinhole(settings: TraceSettings) -> float:
    return settings.speck if settings.pinhole is None else settings.pinhole


def _limited(
    field: Field, found: PixelContours, left_out: int, settings: TraceSettings, size: float
) -> Found:
    scale = size * size or np.inf  # before the size is known, nothing is too small
    specks = (found.areas > 0) & (found.areas * scale < settings.speck)
    pinholes = (found.areas < 0) & (-found.areas * scale < _pinhole(settings))
    kept = _kept(found, ~(specks | pinholes))
    _check(kept, settings, size)
    return Found(field, kept, size, left_out)


def _kept(found: PixelContours, keep: NDArray[np.bool_]) -> PixelContours:
    if keep.all():
        return found
    counts = np.diff(found.first)
    points = found.points[np.repeat(keep, counts)]
    first = np.concatenate([[0], np.cumsum(counts[keep])]).astype(np.int64)
    dropped = found.dropped + int((~keep).sum())
    return PixelContours(np.ascontiguousarray(points), first, found.areas[keep], dropped)


def _check(found: PixelContours, settings: TraceSettings, size: float) -> None:
    if len(found) == 0:
        if found.dropped:
            raise TraceError(
                f"nothing is left: {counted(found.dropped, 'loop')} under the speck limit of "
                f"{settings.speck:g} mm²; lower the limit, or check the scale"
            )
        side = "lighter" if settings.invert else "darker"
        raise TraceError(_NOTHING[settings.mode].format(side))
    bound(len(found.points), np.abs(found.areas), settings, size)


def bound(points: int, areas: NDArray[Any], settings: TraceSettings, size: float) -> None:
    """Raise when edge points, or areas (N,) in px², are so many that a person should be asked.

    `size`: of a pixel, mm.
    """
    loops = len(areas)
    if points > _MOST_POINTS or (
        not settings.many and (points > _MANY_POINTS or loops > _MANY_LOOPS)
    ):
        ordered = np.sort(areas)[::-1]
        limit = float(ordered[min(_ENOUGH_LOOPS, loops) - 1]) * (size or 1.0) ** 2
        proposed = float(f"{1.02 * limit:.2g}")
        raise TooMuchError(
            f"the picture falls into {counted(loops, 'loop')} with {points:,} edge points, which "
            f"is probably noise; leave out specks under {proposed:g} mm², move the threshold, or "
            "take a sharper picture",
            points,
            proposed,
        )


_NOTHING = {
    "threshold": "nothing in the picture is {} than the threshold; move the threshold or invert",
    "band": "no grey in the picture lies in the band; move its ends or invert",
    "local": ("nothing in the picture is {} than its surroundings; take a larger window or invert"),
    "colour": (
        "nothing in the picture is near the picked colours; allow a larger distance, or pick again"
    ),
    "part": (
        "no part was found on the ground; paint a stroke of ink on it and one of scrape beside it"
    ),
}


def _extent(found: PixelContours) -> tuple[float, float]:
    outer = np.repeat(found.areas > 0, np.diff(found.first))
    points = found.points[outer] if outer.any() else found.points
    width, height = np.ptp(points, axis=0)
    return float(width), float(height)
