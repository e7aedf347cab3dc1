"""What comes between a picture and its trace, step by step, each worked out once."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from silhueta.core.datum.fixing import leaves_lean
from silhueta.core.datum.nudges import ratio_sigma
from silhueta.core.datum.rectify import Rectified, rectify
from silhueta.core.datums import GaugeDatum, Lean, PageDatum, SheetDatum
from silhueta.core.errors import TraceError
from silhueta.core.geometry.path import Floats
from silhueta.core.job import Job, TraceStamp
from silhueta.core.picture.clean import cleaned
from silhueta.core.picture.decode import Picture, decode_colour
from silhueta.core.steps import Backdrop, EvenLight, Stroke
from silhueta.core.trace.edge.walls import Walls
from silhueta.core.trace.light import Blend, blend_of
from silhueta.core.trace.part.domain import (
    Prepared,
    prepare,
    prepare_colour,
    prepare_part,
    prepare_split,
)
from silhueta.core.trace.part.rounds import light_of_stored
from silhueta.core.trace.part.stand import Camera, stand_of
from silhueta.core.work import Work

T = TypeVar("T")

_LARGE = 24_000_000  # px of a picture whose colours are decoded again when they are asked for


class Stages:
    """What comes between picture and trace, remembered as long as its inputs are the same."""

    def __init__(self) -> None:
        self._held: dict[str, tuple[tuple[object, ...], Any]] = {}

    def cleaned(self, job: Job, source: Picture) -> Picture:
        """Return the picture after its cleaning steps."""
        steps = tuple(s for s in job.clean if isinstance(s, EvenLight | Backdrop | Stroke))
        key = (source, steps, job.trace.invert)
        return self._once(
            "cleaned", key, lambda: cleaned(source, steps, job.picture, not job.trace.invert)
        )

    def lean(self, job: Job, source: Picture, work: Work) -> Lean | None:
        """Return how the camera leaned, where the datums leave that open and the picture shows it.

        As the job's own trace found it, where that is not stale.
        """
        if job.lean is not None or job.trace.mode != "part" or not leaves_lean(job):
            return job.lean
        if job.trace.split or job.trace.pen is not None or job.optics.thickness == 0:
            return None
        level = replace(job, traced=None)
        key = (source, job.datums, job.optics, job.clean, job.trace.invert, job.trace.speck)
        return self._once("lean", key, lambda: self._seen_lean(level, source, work))

    def _seen_lean(self, level: Job, source: Picture, work: Work) -> Lean | None:
        flat = self.rectified(level, source, work)
        walls, height = walls_of(level, flat), flat.solution.camera_height
        if walls is None or height is None:
            return None
        shown = self.flat_colours(level, source, work)
        try:
            found = prepare_part(level, flat, source, shown, walls, work, closely=False).contours
        except TraceError:
            return None  # and what is wrong is said when the part is sought
        assert found is not None
        holes = [found.contour(i) for i in np.flatnonzero(found.areas < 0).tolist()]
        camera = Camera(
            np.array(walls.under),
            (height - level.optics.thickness) / flat.scale.mm_per_px,
            walls.ratio,
            ratio_sigma(level.optics, flat.solution.focal_source),
        )
        stood = stand_of(holes, partial(light_of_stored, shown), camera)
        if stood is None:
            return None
        strength, ways = np.linalg.eigh(stood.covariance)
        ends = stood.under + (ways * np.sqrt(np.maximum(strength, 0.0))).T
        at, one, two = _leans(flat.to_source(np.vstack([stood.under, ends])), flat)
        return Lean(_pair(at), (_pair(one - at), _pair(two - at)), stood.holes)

    def rectified(self, job: Job, source: Picture, work: Work) -> Rectified:
        """Return the cleaned picture at true size."""
        picture = self.cleaned(job, source)
        key = (picture, job.datums, job.optics, job.clean, job.lean)
        return self._once("rectified", key, lambda: rectify(job, picture, work))

    def prepared(self, job: Job, source: Picture, work: Work) -> Prepared:
        """Return what is traced of it."""
        flat = self.rectified(job, source, work)
        mode, file = job.trace.mode, job.picture
        if mode == "colour" and file is not None:
            key: tuple[object, ...] = (flat, job.clean, job.trace.invert, job.trace.colours)
            return self._once("prepared", key, lambda: self._by_colour(job, flat, source, work))
        if mode == "part" and file is not None:
            key = (flat, job.clean, job.trace.invert, job.trace.speck, mode)
            return self._once("prepared", key, lambda: self._by_cut(job, flat, source, work))
        key = (flat, job.clean, job.trace.invert)
        picture = self.cleaned(job, source)
        return self._once("prepared", key, lambda: prepare(job, flat, picture))

    def colour_difference(self, job: Job) -> Picture | None:
        """Return what was prepared to tell a job's picked colours, where that is at hand."""
        held = self._held.get("prepared")
        if held is None or job.trace.mode != "colour" or held[0][-1] != job.trace.colours:
            return None
        made: Prepared = held[1]
        return made.picture

    def _by_colour(self, job: Job, flat: Rectified, source: Picture, work: Work) -> Prepared:
        from silhueta.core.trace.edge.field import colour_field

        away = replace(source, grey=colour_field(self.colours(job), job.trace.colours))
        strokes = [s for s in job.clean if isinstance(s, Stroke)]
        away = cleaned(away, strokes, None, not job.trace.invert)
        made = flat.resample(away.grey, work)
        return prepare_colour(job, flat, source, made.astype(np.uint16, copy=False))

    def _by_cut(self, job: Job, flat: Rectified, source: Picture, work: Work) -> Prepared:
        shown = self.flat_colours(job, source, work)
        return prepare_part(job, flat, source, shown, walls_of(job, flat), work)

    def colours(self, job: Job) -> NDArray[np.uint8]:
        """Return the colours of the job's picture, (H, W, 3)."""
        file = job.picture
        assert file is not None
        return self._once("colours", (file,), lambda: decode_colour(file))

    def take_colours(self, job: Job, colours: NDArray[np.uint8]) -> None:
        """Take the colours of a job's picture, where they are decoded already."""
        self._held["colours"] = ((job.picture,), colours)

    def flat_colours(self, job: Job, source: Picture, work: Work) -> NDArray[np.uint8]:
        """Return the colours of the job's picture at true size, (H, W, 3)."""
        flat = self.rectified(job, source, work)
        made = self._once(
            "flat colours",
            (flat,),
            lambda: flat.resample(self.colours(job), work).astype(np.uint8, copy=False),
        )
        if source.grey.size > _LARGE:
            self._held.pop("colours", None)
        return made

    def split_colours(self, job: Job, source: Picture, work: Work) -> NDArray[np.uint8]:
        """Return the colours at true size as they are split: cropped, with ink and scrape."""
        shown = self.flat_colours(job, source, work)
        return prepare_split(job, self.rectified(job, source, work), source, shown)

    def blend(self, job: Job, source: Picture) -> Blend:
        """Return whether a picture was blended as light or in stored values, and how surely."""
        said = said_caught(job)
        return self._once("blend", (source, said), lambda: blend_of(source, said))

    def _once(self, name: str, key: tuple[object, ...], make: Callable[[], T]) -> T:
        held = self._held.get(name)
        if held is None or held[0] != key:
            held = (key, make())
            self._held[name] = held
        made: T = held[1]
        return made


def said_caught(job: Job) -> bool:
    """Return whether a job's datums say that its picture is a scan or a photo."""
    return any(isinstance(d, PageDatum | SheetDatum | GaugeDatum) for d in job.datums)


def walls_of(job: Job, rectified: Rectified) -> Walls | None:
    """Return where walls show."""
    thickness = job.optics.thickness
    if job.trace.pen is not None or thickness == 0 or rectified.solution.camera_height is None:
        return None
    x, y, height = rectified.plane.eye  # above the top face
    under = rectified.scale.to_px(np.array([[x, y]]))
    return Walls((float(under[0, 0]), float(under[0, 1])), thickness / float(height))


def known(job: Job, lean: Lean | None) -> Job:
    """Return `job` as yet untraced, but with how its camera leaned known already."""
    if lean == job.lean:
        return job
    return replace(job, traced=TraceStamp(job.inputs, 1.0, 0.0, 0, 0.0, lean=lean))


def _leans(under: Floats, flat: Rectified) -> Floats:
    """Return by how much a camera leans about its axes, rad, for points under it, both (N, 2).

    `under` is in raw px. As `Plane.leaned` has it: where the plane's upright meets the picture.
    """
    lens = flat.plane.lens
    x, y = (lens.straighten(under) - lens.centre).T / lens.focal
    about_x = -np.arctan(y)
    return np.column_stack([about_x, np.arctan(x * np.cos(about_x))])


def _pair(values: Floats) -> tuple[float, float]:
    return float(values[0]), float(values[1])
