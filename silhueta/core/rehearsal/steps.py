"""The steps of a file as it stands: a program's lines, or a drawing's paths in their own order.

Nothing of the plan is known here: programs are read by rs274, drawings by the readers of files.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Literal, NamedTuple

import numpy as np

from silhueta.core.cutting.plan_drawing import LEAD
from silhueta.core.cutting.program import Motion
from silhueta.core.errors import FileError
from silhueta.core.files.layer_names import worked
from silhueta.core.files.svg_read import ReadDrawing
from silhueta.core.geometry.biarcs import with_arcs
from silhueta.core.geometry.path import Path
from silhueta.core.plan_settings import Tool
from silhueta.core.rs274.deeds import Deed
from silhueta.core.rs274.interpret import interpret

_CURVE = 0.002  # mm, within which a drawing's curves are run as arcs
_SAME = 1e-3  # mm, within which a path of a drawing goes on where the one before ended
MOST_STEPS = 500_000  # of a file: they take about a kilobyte each
FEED = 1500.0  # mm/min, at which drawings are run, as they tell no feed


class Step(NamedTuple):
    """One thing that the machine does.

    motion : Motion
        With one segment where it moves.
    line : int
        Of the file, from 1.
    on : bool
        Whether the tool is on.
    tool : int
        Its number; 0: none was told.
    light : bool
        Whether the file says that this is marked or engraved: a torch or beam does not go through.
    """

    motion: Motion
    line: int
    on: bool
    tool: int
    light: bool = False


_WORK = re.compile(r"[(;] ?\d+: (mark|engrave|pocket|vgroove|drill|cut), tool")
_NOWHERE, _FLAT = np.zeros((0, 3)), np.zeros(0)


def of_program(
    text: str,
    units: Literal["mm", "in"] | None = None,
    words: Mapping[str, Literal["on", "off"]] | None = None,
    inverse: Sequence[str] = (),
) -> list[Step]:
    """Return the steps of a program.

    Parameters
    ----------
    text : str
    units : {"mm", "in"} or None
        What its numbers are where it does not say.
    words : mapping of str to {"on", "off"} or None
        Lines of a machine's own that switch its tool.
    inverse : sequence of str
        Axes that the machine counts the other way; the steps count as the part does.

    Raises
    ------
    NotUnderstoodError
        At the line that is not known; nothing of the program is run then.
    FileError
        If it has more moves than can be run.

    """
    on, tool = False, 0
    found: list[Step] = []
    says = _says(text)
    light = False
    for deed in interpret(text, units, words):
        if deed.kind in ("on", "off"):
            on = deed.kind == "on"
        if deed.kind == "tool":
            tool = int(deed.value)
        while says and says[0][0] <= deed.line:
            light = says.pop(0)[1]
        motion = _motion(deed)
        if motion is not None and inverse:
            motion = _turned(motion, inverse)
        if len(found) >= MOST_STEPS:
            raise FileError(
                f"it has more than {MOST_STEPS:,} moves, more than can be run; cut it into parts"
            )
        if motion is not None:
            found.append(Step(motion, deed.line, on, tool, light))
    return found


def _says(text: str) -> list[tuple[int, bool]]:
    """Return where comments tell which operation follows: the line, and whether it is a light one.

    Only such as this program writes are known; without them all that is cut goes through.
    """
    told = ((k, _WORK.search(line)) for k, line in enumerate(text.splitlines(), 1))
    return [(k, match[1] in ("mark", "engrave")) for k, match in told if match is not None]


def _motion(deed: Deed) -> Motion | None:
    """Return a deed as a motion; None for what neither moves nor takes time."""
    if deed.kind in ("on", "off"):
        return Motion(deed.kind, _NOWHERE, _FLAT)
    if deed.kind == "wait":
        return Motion("wait", _NOWHERE, _FLAT, seconds=deed.value)
    if deed.kind == "tool":
        return Motion("tool", _NOWHERE, _FLAT, tool=Tool(int(deed.value) or 1))
    if deed.kind not in ("rapid", "feed"):
        return None
    points = np.array([deed.start, deed.end])
    if deed.kind == "rapid":
        return Motion("rapid", points, np.zeros(1))
    if abs(deed.turn) > math.pi:  # a bulge tells half a circle at most without losing digits
        assert deed.centre is not None
        points = _halved(deed)
    turn = deed.turn / (len(points) - 1)
    bulges = np.full(len(points) - 1, math.tan(turn / 4))
    straight = points[0, :2] - points[-1, :2]
    kind = "cut" if np.abs(straight).max() > 0 or deed.turn else "plunge"
    return Motion(kind, points, bulges, deed.feed)  # type: ignore[arg-type]


def _turned(motion: Motion, inverse: Sequence[str]) -> Motion:
    """Return a motion with some axes counted the other way: one of X and Y turns arcs round."""
    x, y, z = (-1.0 if axis in inverse else 1.0 for axis in "XYZ")
    return replace(motion, points=motion.points * [x, y, z], bulges=motion.bulges * (x * y))


def _halved(deed: Deed) -> np.ndarray:
    """Return the ends of an arc and its middle."""
    assert deed.centre is not None
    x, y = deed.start[0] - deed.centre[0], deed.start[1] - deed.centre[1]
    c, s = math.cos(deed.turn / 2), math.sin(deed.turn / 2)
    middle = (
        deed.centre[0] + c * x - s * y,
        deed.centre[1] + s * x + c * y,
        (deed.start[2] + deed.end[2]) / 2,
    )
    return np.array([deed.start, middle, deed.end])


def of_drawing(drawing: ReadDrawing) -> list[Step]:
    """Return the steps of a drawing: its paths in their own order, the tool on along each.

    Leads go on into the path that begins where they end. What is marked is run with the tool off,
    since it does not go through.
    """
    found: list[Step] = []
    layers = drawing.layers or ("",) * len(drawing.paths)
    at = np.zeros(3)
    on = False
    for line, (path, layer) in enumerate(zip(drawing.paths, layers, strict=True), 1):
        if not goes_through(layer):
            continue
        steps = list(_along(path, line))
        start = steps[0].motion.points[0]
        if on and np.hypot(*(start - at)[:2]) > _SAME:
            found.append(Step(Motion("off", _NOWHERE, _FLAT), line, False, 0))
            on = False
        if not on:
            found.append(Step(Motion("rapid", np.array([at, start]), np.zeros(1)), line, False, 0))
            found.append(Step(Motion("on", _NOWHERE, _FLAT), line, True, 0))
            on = True
        found += steps
        at = steps[-1].motion.points[-1]
    if on:
        found.append(Step(Motion("off", _NOWHERE, _FLAT), len(drawing.paths), False, 0))
    return found


def goes_through(layer: str) -> bool:
    """Return whether what is on a layer of a drawing goes through the sheet."""
    return layer.upper().startswith(LEAD) or worked(layer, {}).operation == "cut"


def _along(path: Path, line: int) -> Iterator[Step]:
    plain = with_arcs(path, _CURVE)
    for a, b, bulge in zip(plain.starts, plain.ends, plain.bulges.tolist(), strict=True):
        points = np.array([[*a, 0.0], [*b, 0.0]])
        yield Step(Motion("cut", points, np.array([bulge]), FEED), line, True, 0)
