"""Edits of a job at Cut file, and of the settings of its plan."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from silhueta.core.cutting.plan import KIND
from silhueta.core.errors import EditError
from silhueta.core.geometry.outline import Outline
from silhueta.core.job import Job, set_plan, with_outline
from silhueta.core.plan_settings import Operation, PlanSettings, Tool

_USUAL: tuple[Operation, ...] = ("cut", "mark", "engrave")  # follow from what a contour is


def set_operation(job: Job, keys: Sequence[int], operation: Operation) -> Job:
    """Return the job with contours worked in another way.

    Raises
    ------
    EditError
        Where a field would have to be made of a path with two ends.

    """
    chosen = set(keys)
    if operation in ("pocket", "vgroove", "drill"):
        for one in job.outline.contours:
            if one.key in chosen and not one.path.closed:
                raise EditError(
                    "a path with two ends encloses nothing; close it at Tidy, or engrave along it"
                )
    kind = KIND[operation]
    contours = tuple(
        replace(one, operation=kind) if one.key in chosen and one.operation != kind else one
        for one in job.outline.contours
    )
    same = all(a is b for a, b in zip(contours, job.outline.contours, strict=True))
    made = job if same else with_outline(job, Outline(contours))
    own = None if operation in _USUAL else operation
    return set_plan(made, made.plan.setting(tuple(keys), operation=own))


def set_by_hand(job: Job, keys: Sequence[int], **changes: Any) -> Job:
    """Return the job with something of its plan set by hand for contours; None: as proposed."""
    return set_plan(job, job.plan.setting(tuple(keys), **changes))


def moved_to(job: Job, order: Sequence[int], key: int, place: int) -> Job:
    """Return the job with an entry put to another place of the order.

    Parameters
    ----------
    job : Job
    order : sequence of int
        Keys of the entries as they come now.
    key : int
        Of the entry that is moved.
    place : int
        Where it shall be, from 0.

    """
    others = [one for one in order if one != key]
    others.insert(max(0, min(place, len(others))), key)
    return set_plan(job, replace(job.plan, first=tuple(others)))


def with_tools(settings: PlanSettings, tools: Sequence[Tool]) -> PlanSettings:
    """Return settings with these tools, each number once.

    Raises
    ------
    EditError
        If two tools have one number.

    """
    numbers = [one.number for one in tools]
    twice = next((n for n in numbers if numbers.count(n) > 1), None)
    if twice is not None:
        raise EditError(f"two tools have the number {twice}; give each its own")
    return replace(settings, tools=tuple(tools))
