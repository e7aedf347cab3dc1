"""Edits: a path that was drawn by hand takes its place in the outline."""

from __future__ import annotations

from silhueta.core.errors import EditError
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.nearest import nearest
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import OpenPath, Path, reverse
from silhueta.core.geometry.pieces import place_of, stretch
from silhueta.core.job import Job, with_outline
from silhueta.core.tidy.edit import redone
from silhueta.core.tidy.offers.offer import edited

_CHORD = 0.02  # mm


def add_drawn(job: Job, path: Path) -> Job:
    """Return `job` with a path more, mm, drawn by hand."""
    contour = Contour(path, origin="drawn")
    return with_outline(job, Outline((*job.outline.contours, contour)))


def redo_stretch(job: Job, contour: int, fresh: OpenPath) -> Job:
    """Return `job` with the stretch of a contour that `fresh` (mm) stands for replaced by it.

    The stretch lies between the places nearest to the ends of `fresh`. On a loop there are two:
    the one that `fresh` stays nearer to is replaced.

    Raises
    ------
    EditError
        If the contour is locked, or both ends lie at one place.

    """
    old = job.outline.contours[contour]
    if old.locked:
        raise EditError("this loop is locked; unlock it first")
    path = old.path
    one, two = place_of(path, fresh.nodes[0]), place_of(path, fresh.nodes[-1])
    if one == two:
        raise EditError("the stretch begins and ends at one place; draw from one to another")
    if not path.closed and two < one:
        one, two, fresh = two, one, _back(fresh)
    if path.closed:
        points = flatten(fresh, _CHORD)
        ahead, behind = (
            float(nearest(stretch(path, a, b), points).distance.mean())
            for a, b in ((one, two), (two, one))
        )
        if behind < ahead:
            one, two, fresh = two, one, _back(fresh)
    made = edited(old, redone(path, one, two, fresh))
    contours = [made if i == contour else c for i, c in enumerate(job.outline.contours)]
    return with_outline(job, Outline(tuple(contours)))


def _back(path: OpenPath) -> OpenPath:
    turned = reverse(path)
    assert isinstance(turned, OpenPath)
    return turned
