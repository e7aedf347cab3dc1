"""The plan that is proposed for a part: whole, from process, material and how its loops lie.

What a person set by hand counts where it fits, and is told where it does not.
"""

from __future__ import annotations

from collections.abc import Sequence

from silhueta.core.cutting.areas import areas
from silhueta.core.cutting.order import ordered
from silhueta.core.cutting.plan import Entry, Plan
from silhueta.core.cutting.scene import Scene, told
from silhueta.core.cutting.through import lines, through
from silhueta.core.cutting.tooling import Known, tooling
from silhueta.core.errors import EditError
from silhueta.core.geometry.measure import box_of
from silhueta.core.inspection.limits import limits_of
from silhueta.core.job import Job
from silhueta.core.plan_settings import Tool
from silhueta.core.work import Work


def planned(job: Job, work: Work | None = None, known: Known | None = None) -> Plan:
    """Return how a job's outline is cut.

    Raises
    ------
    EditError
        If nothing is set to be worked, or process, thickness or records that the plan needs are not
        told.
    StoppedError
        When the work is stopped.

    """
    work = work or Work()
    limits, settings = limits_of(job), job.plan
    if limits.process is None:
        raise EditError("the process is not chosen: plasma, laser, router, knife, water or saw")
    if not job.outline.taken:
        raise EditError("nothing is set to be cut, so there is nothing to plan")
    scene = Scene(job, tooling(limits.process, settings, limits, known))
    entries: list[Entry] = []
    for group in scene.groups:
        entries += through(scene, group, work)
        work.step(0.5)
    entries += lines(scene)
    entries += areas(scene, work)
    work.step(0.8)
    _beyond(scene, entries)
    start = (0.0, 0.0)
    if entries:
        boxes = [box_of(c.path) for c in job.outline.contours if c.taken]
        start = (min(b[0] for b in boxes), min(b[1] for b in boxes))
    found, notes = ordered(entries, settings, start)
    work.step(0.95)
    tools: dict[int, Tool] = {}
    for one in found:
        tools.setdefault(one.tool.number, one.tool)
    return Plan(
        limits.process,
        found,
        tuple(tools.values()),
        scene.tools.machine,
        scene.tools.material,
        settings,
        limits,
        tuple(scene.left_out),
        tuple(scene.findings),
        (*scene.tools.notes, *scene.notes, *notes),
    )


def _beyond(scene: Scene, entries: Sequence[Entry]) -> None:
    """Say where what a tool takes away reaches over the sheet's edge."""
    if scene.sheet is None:
        return
    left, bottom, right, top = scene.sheet
    by_key = {c.key: c for c in scene.job.outline.contours}
    for one in entries:
        half = one.tool.diameter_mm / 2
        for way in one.ways:
            for path in (way.path, *way.leads):
                box = box_of(path)
                over = max(left - box[0], bottom - box[1], box[2] - right, box[3] - top) + half
                if one.operation == "cut" and over > 1e-6:
                    scene.findings.append(
                        told(
                            "over-edge",
                            "hurt",
                            by_key[one.key],
                            f"the tool reaches {over:.2f} mm over the sheet's edge",
                        )
                    )
                    break
