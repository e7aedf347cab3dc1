"""The set-up list: what a person does before the start, as text and as a page to print.

A line is a name, a colon and what it says; what is to be done before the start has a box to tick.
"""

from __future__ import annotations

import io
from collections.abc import Sequence
from pathlib import Path as File
from typing import TYPE_CHECKING

import numpy as np

from silhueta.core.cutting.plan import Plan
from silhueta.core.cutting.plan_drawing import plan_drawing
from silhueta.core.cutting.timing import Times
from silhueta.core.datum.sheets import SIZES
from silhueta.core.errors import FileError
from silhueta.core.files.atomic import write_whole
from silhueta.core.files.paper import line_on, plain
from silhueta.core.files.pdf import PAPERS
from silhueta.core.files.plan_job import zero_words
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.inspection.goes import outcome
from silhueta.core.inspection.limits import sheet_box
from silhueta.core.job import Job
from silhueta.core.plan_settings import Tool
from silhueta.core.units import format_length, format_sides
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.core.geometry.measure import Box

_EDGE, _LINE = 15.0, 5.4  # mm: round the page, and from line to line
_PICTURE = 95.0  # mm high at most, that the sheet's picture is
_CHORD = 0.1  # mm on paper, within which curves are drawn
_WIDEST = 92  # letters in a line of the page
_MOST_LISTED = 40  # cuts, findings: what is more is counted
_KINDS = {
    "flat": "flat bit",
    "ball": "ball bit",
    "vbit": "V-bit",
    "drill": "drill",
    "torch": "torch",
    "beam": "beam",
    "blade": "blade",
}


def setup_lines(job: Job, plan: Plan, times: Times) -> list[str]:
    """Return the list's lines, without a picture."""
    limits, units = plan.limits, job.cut_file.units
    material = limits.material or (plan.material.name if plan.material else "")
    lines = [
        f"Set-up list: {job.name}",
        f"Process: {plan.process}, machine {plan.machine.name}",
        f"Material: {material or 'not told'}",
        f"Thickness: {_length(limits.thickness)}",
    ]
    if limits.sheet is not None:
        margin = f", margin {limits.margin:g} mm" if limits.margin else ""
        lines.append(f"Sheet: {format_sides(*limits.sheet)}{margin}")
    other, wrong = ("inches", "large") if units == "mm" else ("millimetres", "small")
    lines += [
        f"Unit: {'mm' if units == 'mm' else 'inch'}; read as {other}, the part comes out 25.4 "
        f"times too {wrong}",
        f"Zero: {zero_words(job)}",
        "Kerf or bit: "
        + ("in the file" if plan.settings.compensate == "file" else "left to the machine"),
    ]
    lines += [f"Tool: {_tool(plan, tool, times)}" for tool in plan.tools]
    lines += [
        f"Time: {_clock(times.seconds)} in all, {counted(times.changes, 'tool change')}",
        f"Cut: {times.cut_mm:,.0f} mm, {counted(times.pierces, 'pierce')}, "
        f"{times.rapid_mm:,.0f} mm between cuts",
    ]
    made = outcome(job.outline, limits)
    if made.kept_mass is not None:
        lines.append(f"Mass: {made.kept_mass / 1000:.2f} kg stays")
    if made.scrap is not None:
        lines.append(f"Scrap: {100 * made.scrap:.0f} % of the sheet")
    lines += _listed("Left out", [one.text for one in plan.left_out])
    lines += _listed("Finding", [one.text for one in plan.findings if one.severity != "look"])
    lines += _listed(
        "Waved through", [f"{one.text or one.code}: {one.reason}" for one in job.waved]
    )
    lines += _listed("Note", list(plan.notes))
    return [*lines, "", "Before the start", *(f"[ ] {text}" for text in _checks(plan))]


def _length(value: float | None) -> str:
    return "not told" if not value else format_length(value, "mm")


def _tool(plan: Plan, tool: Tool, times: Times) -> str:
    own = [one for one in plan.entries if one.tool.number == tool.number]
    told = [f"{tool.number}, {_KINDS[tool.kind]}"]
    if tool.diameter_mm:
        told[0] += f" {tool.diameter_mm:g} mm"
    if tool.kind == "vbit":
        told[0] += f" {tool.angle_deg:g} degrees"
    if not plan.flat:
        told.append(f"Z 0 on the {'table' if tool.zero == 'table' else 'top of the sheet'}")
    passes = max((len(one.steps) for one in own), default=1)
    deepest = max((one.depth for one in own), default=0.0)
    told.append(counted(len(own), "cut"))
    if deepest:
        told.append(f"{deepest:g} mm deep in {counted(passes, 'pass', 'passes')}")
    told.append(f"{own[0].feed:g} mm/min")
    told.append(_clock(times.by_tool.get(tool.number, 0.0)))
    return ", ".join(told)


def _clock(seconds: float) -> str:
    minutes, rest = divmod(round(seconds), 60)
    return f"{minutes}:{rest:02d} min"


def _listed(name: str, texts: Sequence[str]) -> list[str]:
    lines = [f"{name}: {text}" for text in texts[:_MOST_LISTED]]
    if len(texts) > _MOST_LISTED:
        lines.append(f"{name}: and {len(texts) - _MOST_LISTED:,} more")
    return lines


def _checks(plan: Plan) -> list[str]:
    """Return what is to be done before the start."""
    checks = [f"the sheet is {_length(plan.limits.thickness)} thick: measured"]
    room = f" ({plan.limits.margin:g} mm round the edge)" if plan.limits.margin else ""
    checks.append(f"clamps and hold-downs are out of the way{room}")
    for tool in plan.tools:
        what = f"tool {tool.number} is in: {_KINDS[tool.kind]} {tool.diameter_mm:g} mm"
        if not plan.flat:
            what += f"; Z 0 is set on the {'table' if tool.zero == 'table' else 'top of the sheet'}"
        checks.append(what)
    checks.append("X 0, Y 0 is set")
    checks.append("the machine's program reads the file in the right unit: its size is checked")
    ready = {"plasma": "air and torch are ready", "laser": "air assist and exhaust are on"}
    checks.append(ready.get(plan.process, "the spindle turns" if not plan.flat else "it is ready"))
    return checks


def setup_pdf(job: Job, plan: Plan, times: Times, paper: str = "a4") -> bytes:
    """Return the list as a PDF, with a picture of the sheet, the order and the zero point.

    Raises
    ------
    FileError
        For a paper that is not known.

    """
    from reportlab.lib.units import mm
    from reportlab.pdfgen.canvas import Canvas

    if paper not in PAPERS:
        raise FileError(f"there is no paper called {paper[:40]}; take {', '.join(PAPERS)}")
    wide, high = SIZES[paper]
    stream = io.BytesIO()
    canvas = Canvas(stream, pagesize=(wide * mm, high * mm), invariant=1)
    canvas.setTitle(f"Set-up list: {job.name}")
    lines = [part for line in setup_lines(job, plan, times) for part in _wrapped(line)]
    y = high - _EDGE
    canvas.setFont("Helvetica-Bold", 15)
    canvas.drawString(_EDGE * mm, (y - 4) * mm, plain(lines[0]))
    y -= 9
    y = _picture(canvas, job, plan, (_EDGE, y - _PICTURE, wide - _EDGE, y), mm) - 4
    for line in lines[1:]:
        if y < _EDGE + _LINE:
            canvas.showPage()
            y = high - _EDGE
        box = line.startswith("[ ] ")
        canvas.setFont("Helvetica-Bold" if line == "Before the start" else "Helvetica", 9.5)
        if box:
            canvas.rect(_EDGE * mm, (y - 3.4) * mm, 3 * mm, 3 * mm)
        text = line.removeprefix("[ ] ")
        canvas.drawString((_EDGE + (5 if box else 0)) * mm, (y - 3) * mm, plain(text))
        y -= _LINE
    canvas.save()
    return stream.getvalue()


def _wrapped(line: str) -> list[str]:
    import textwrap

    return textwrap.wrap(line, _WIDEST, subsequent_indent="      ") or [""]


def _picture(canvas: object, job: Job, plan: Plan, room: Box, mm: float) -> float:
    """Draw the sheet with all ways, numbered; return where it ends, mm from below."""
    drawing = plan_drawing(plan)
    box = bounding_box(drawing.paths())
    sheet = sheet_box(plan.limits)
    whole = box
    if sheet is not None:
        whole = (
            min(box[0], sheet[0]), min(box[1], sheet[1]),
            max(box[2], sheet[2]), max(box[3], sheet[3]),
        )  # fmt: skip
    scale = min(
        (room[2] - room[0]) / max(whole[2] - whole[0], 1e-6),
        (room[3] - room[1]) / max(whole[3] - whole[1], 1e-6),
    )
    high = (whole[3] - whole[1]) * scale

    def at(x: float, y: float) -> tuple[float, float]:
        return (
            (room[0] + (x - whole[0]) * scale) * mm,
            (room[3] - high + (y - whole[1]) * scale) * mm,
        )

    pen = canvas
    pen.setLineWidth(0.4)  # type: ignore[attr-defined]
    if sheet is not None:
        x, y = at(sheet[0], sheet[1])
        u, v = at(sheet[2], sheet[3])
        pen.rect(x, y, u - x, v - y)  # type: ignore[attr-defined]
    for layer, path in drawing.rows:
        pen.setDash([] if layer.startswith(("CUT", "LEAD", "DRILL")) else [2, 1.5])  # type: ignore[attr-defined]
        points = flatten(path, _CHORD / scale)
        line_on(pen, np.array([at(*point) for point in points.tolist()]), path.closed)
    pen.setDash([])  # type: ignore[attr-defined]
    pen.setFont("Helvetica", 7)  # type: ignore[attr-defined]
    for k, one in enumerate(plan.entries[:_MOST_LISTED]):
        x, y = at(*one.begin)
        pen.drawString(x + 1.5, y + 1.5, str(k + 1))  # type: ignore[attr-defined]
    left, bottom, _, _ = job.outline.bounds
    if job.cut_file.origin == "corner":
        x, y = at(left, bottom)
        for u, v in ((4 * mm, 0), (0, 4 * mm)):
            pen.line(x, y, x + u, y + v)  # type: ignore[attr-defined]
        pen.drawString(x + 4.5 * mm, y - 3, "0, 0")  # type: ignore[attr-defined]
    return room[3] - high


def write_setup(job: Job, plan: Plan, times: Times, target: File, paper: str = "a4") -> None:
    """Write the set-up list, as text or PDF by the file's ending.

    Raises
    ------
    FileError
        For another ending, or if it cannot be written.

    """
    kind = target.suffix.lower()
    if kind == ".txt":
        data = ("\n".join(setup_lines(job, plan, times)) + "\n").encode("utf-8")
    elif kind == ".pdf":
        data = setup_pdf(job, plan, times, paper)
    else:
        raise FileError(f"{target.name}: a set-up list ends in .txt or .pdf")
    write_whole(target, data)
