"""The steps of a job, as a recipe for other pictures of the same kind."""

from __future__ import annotations

from typing import Any, NamedTuple

from silhueta.core.datums import (
    DpiDatum,
    GaugeDatum,
    OverallDatum,
    PageDatum,
    PixelDatum,
    SheetDatum,
)
from silhueta.core.inspect_settings import Limits
from silhueta.core.job import Job
from silhueta.core.keep.recipe import Recipe
from silhueta.core.trace_settings import TraceSettings

_WIDE = {"router": "bit"}  # what the width of a process's tool is called; of all others the kerf


class Taken(NamedTuple):
    """A recipe, and what of the job holds for its own picture alone, in words."""

    recipe: Recipe
    left: tuple[str, ...]


def recipe_from(job: Job) -> Taken:
    """Return the recipe of a job, and what could not be taken into it."""
    left: list[str] = []
    trace = _scale(job, left) | _traced(job.trace, left)
    if job.optics.thickness:
        trace["thickness"] = f"{job.optics.thickness:g}mm"
    if job.clean:
        left.append("crop, level, ink and scrape")
    steps: dict[str, dict[str, Any]] = {"trace": trace}
    if job.relations:
        steps["true"] = {"true": "safe"}
        left.append("what was made exact by hand")
    if any(one.origin in ("edited", "drawn") for one in job.outline.contours):
        left.append("what was drawn or moved by hand")
    limits = _limits(job.inspect)
    if limits:
        steps["inspect"] = limits
    form = job.cut_file.format
    if form == "nc" and job.inspect.process is not None:
        held = {
            name: limits[name] for name in ("process", "thickness", "kerf", "bit") if name in limits
        }
        steps["cut"] = held | ({"material": job.inspect.material} if job.inspect.material else {})
    return Taken(Recipe(steps, ("dxf", "nc") if "cut" in steps else (form,)), tuple(left))


def _scale(job: Job, left: list[str]) -> dict[str, Any]:
    """Return the options that tell the scale."""
    found: dict[str, Any] = {}
    for datum in job.datums:
        if isinstance(datum, DpiDatum):
            if datum.source == "typed":
                found["dpi"] = datum.dpi
        elif isinstance(datum, PixelDatum):
            found["pixel-size"] = f"{datum.mm:g}mm"
        elif isinstance(datum, OverallDatum):
            found[f"overall-{datum.axis}"] = f"{datum.mm:g}mm"
        elif isinstance(datum, PageDatum):
            found["page"] = datum.name
        elif isinstance(datum, SheetDatum):
            found["sheet"] = datum.name
        elif isinstance(datum, GaugeDatum):
            found["gauge"] = True
        else:
            left.append("lengths marked in the picture")
    return found


def _traced(settings: TraceSettings, left: list[str]) -> dict[str, Any]:
    """Return the options that tell how the part is found, where they are not as usual."""
    usual, found = TraceSettings(), dict[str, Any]()
    if settings.mode == "threshold" and settings.threshold is not None:
        found["threshold"] = f"{settings.threshold:g}"
    elif settings.mode == "band":
        found["band"] = f"{settings.band[0]:g}-{settings.band[1]:g}"
    elif settings.mode == "local":
        found["local"] = f"{settings.window:g}mm"
    elif settings.mode == "colour":
        found["colour"] = [f"#{r:02x}{g:02x}{b:02x}" for r, g, b in settings.colours]
        found["colour-distance"] = settings.colour_distance
    elif settings.mode == "part":
        found["part"] = True
    if settings.split:
        found["colours"] = settings.split
    if settings.pen:
        found |= {"pen": settings.pen}
        if settings.close_gaps:
            found["close-gaps"] = f"{settings.close_gaps:g}mm"
    elif settings.invert and settings.mode != "part":
        found["invert"] = True
    if not found and settings.read is not None:
        found["read"] = settings.read
    for name, unit in (("speck", "mm2"), ("smooth", "mm"), ("corner", "deg"), ("tolerance", "mm")):
        value = getattr(settings, name)
        if value is not None and value != getattr(usual, name):
            found[name] = f"{value:g}{unit}"
    for name in ("fit", "keep", "light"):
        if getattr(settings, name) != getattr(usual, name):
            found[name] = getattr(settings, name)
    if settings.patches:
        left.append("patches of other settings")
    return found


def _limits(held: Limits) -> dict[str, Any]:
    """Return the options of what a part is held against."""
    if held.process is None:
        return {}
    found: dict[str, Any] = {"process": held.process}
    if held.thickness is not None:
        found["thickness"] = f"{held.thickness:g}mm"
    if held.width is not None:
        found[_WIDE.get(held.process, "kerf")] = f"{held.width:g}mm"
    if held.sheet is not None:
        found["sheet"] = f"{held.sheet[0]:g}x{held.sheet[1]:g}mm"
        if held.margin is not None:
            found["margin"] = f"{held.margin:g}mm"
    if held.web is not None:
        found["min-web"] = f"{held.web:g}mm"
    return found
