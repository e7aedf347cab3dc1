"""Programs in RS-274, as NIST publishes it (NISTIR 6556): a plan's motions, line by line."""

from __future__ import annotations

import math
import unicodedata
from collections.abc import Iterator

import numpy as np

from silhueta import __version__
from silhueta.core.cutting.plan import Entry, Plan
from silhueta.core.cutting.program import Motion
from silhueta.core.errors import FileError
from silhueta.core.geometry.path import Floats
from silhueta.core.plan_settings import BITS, Tool
from silhueta.core.shop.machines import Machine
from silhueta.core.units import MM_PER_UNIT, Unit

_LONGEST = 100  # letters of a comment: lines of over 256 are not read (3.3)
_SLACK = 1e-6  # mm and mm/min, by which a limit may be passed: rounding
_MOST_LINES = 2000  # that one arc comes to: more is a slip in arc_error_mm


def program_bytes(
    plan: Plan,
    steps: tuple[Motion, ...],
    units: Unit,
    shift: tuple[float, float],
    name: str = "",
    zero: str = "",
) -> bytes:
    """Return a plan's motions as a program.

    Parameters
    ----------
    plan : Plan
    steps : tuple of Motion
        Of the plan (cutting.program).
    units : {"mm", "in"}
    shift : (x, y), mm
        From the outline's coordinates to the program's.
    name : str
        Of the part.
    zero : str
        Where X 0, Y 0 is, in words.

    Raises
    ------
    FileError
        If the machine cannot do it: naming what, and where.

    """
    refuse(plan, steps, shift)
    lines = list(_Writer(plan, units, shift).lines(steps, name, zero))
    step = plan.machine.line_numbers
    if step:
        lines = [f"N{k * step} {line}" for k, line in enumerate(lines, 1)]
    return ("\n".join(lines) + "\n").encode("ascii")


def refuse(plan: Plan, steps: tuple[Motion, ...], shift: tuple[float, float]) -> None:
    """Raise FileError for the first thing that a machine cannot do, with its place."""
    machine = plan.machine
    cutting = [m.points for m in steps if m.kind in ("cut", "plunge")]
    if not cutting:
        raise FileError("nothing is planned, so there is no program to write")
    if not plan.flat and machine.z == "none":
        raise FileError(
            f"{machine.name} has no Z, and {plan.process} goes down into the sheet; choose another "
            "machine"
        )
    if len(plan.tools) > 1 and not machine.tool_change:
        raise FileError(
            f"{machine.name} changes no tools, and this needs {len(plan.tools)}; write a program "
            "for each tool"
        )
    for number, one in enumerate(plan.entries, 1):
        where = _where(number, one, shift)
        if one.feed > machine.max_feed_mm_min + _SLACK:
            raise FileError(
                f"{where}: a feed of {one.feed:g} mm/min is more than {machine.name} can do "
                f"({machine.max_feed_mm_min:g}); type a lower one"
            )
        speed = _speed(plan, one.tool)
        if one.tool.kind in BITS and 0 < machine.max_speed_rpm < speed:
            raise FileError(
                f"{where}: {speed:g} turns a minute are more than {machine.name} can do "
                f"({machine.max_speed_rpm:g}); give tool {one.tool.number} a lower speed"
            )
    _on_the_bed(plan, cutting, shift)
    low = min(float(points[:, 2].min()) for points in cutting)
    if 0 < machine.z_travel_mm < machine.clearance_mm - low - _SLACK:
        raise FileError(
            f"{machine.name} goes {machine.z_travel_mm:g} mm up and down, and this needs "
            f"{machine.clearance_mm - low:g} mm"
        )


def _where(number: int, entry: Entry, shift: tuple[float, float]) -> str:
    x, y = entry.begin
    return f"cut {number} at {x + shift[0]:.1f}, {y + shift[1]:.1f} mm"


def _on_the_bed(plan: Plan, cutting: list[Floats], shift: tuple[float, float]) -> None:
    """Refuse what reaches farther than the bed is large, counted from the program's zero."""
    bed, name = plan.machine.bed_mm, plan.machine.name
    low = np.min([points[:, :2].min(axis=0) for points in cutting], axis=0) + shift
    high = np.max([points[:, :2].max(axis=0) for points in cutting], axis=0) + shift
    for k, axis in enumerate("XY"):
        size = float(high[k] - low[k])
        if size > bed[k] + _SLACK:
            raise FileError(
                f"the cut is {size:.1f} mm along {axis}, the bed of {name} has {bed[k]:g} mm; cut "
                "it into sections at Build, turn it, or choose another machine"
            )
        far = max(float(high[k]), 0.0) - min(float(low[k]), 0.0)
        if far > bed[k] + _SLACK:
            end = float(high[k]) if high[k] > -low[k] else float(low[k])
            raise FileError(
                f"the cut reaches to {axis} {end:.1f} mm, off the bed of {name} ({bed[k]:g} mm), "
                "as zero is far from the part; put zero at the outline's corner"
            )


def _speed(plan: Plan, tool: Tool) -> float:
    """Return the turns a minute of a bit; 0 where nothing is known."""
    return tool.speed_rpm or (plan.material.speed_rpm if plan.material else 0.0)


def value_of(plan: Plan, entry: Entry, tool: Tool) -> float:
    """Return what S says for a tool: turns a minute, or a beam's power; 0: nothing."""
    if tool.kind in BITS:
        return _speed(plan, tool)
    if tool.kind != "beam" or not plan.machine.full_power_s:
        return 0.0
    material = plan.material
    light = entry.operation in ("engrave", "mark")
    percent = tool.power_percent
    if material is not None:
        percent = (light and material.engrave_power_percent) or percent or material.power_percent
    return round(min(percent or 100.0, 100.0) / 100 * plan.machine.full_power_s, 3)


def switch(machine: Machine, tool: Tool, how: str) -> str:
    """Return the line that switches a tool "on" or "off"."""
    name = "spindle" if tool.kind in BITS else "torch" if tool.kind == "torch" else "beam"
    return machine.words[f"{name}_{how}"]


class _Writer:
    """Writes blocks; knows what is in force, so that it is not said again."""

    def __init__(self, plan: Plan, units: Unit, shift: tuple[float, float]) -> None:
        self.plan, self.machine, self.units = plan, plan.machine, units
        self.digits = self.machine.decimals + (2 if units == "in" else 0)
        sign = np.array([-1.0 if axis in self.machine.inverse else 1.0 for axis in "XYZ"])
        self.scale = sign / MM_PER_UNIT[units]
        self.turn = float(sign[0] * sign[1])  # an axis the other way turns arcs round
        self.shift = np.array([*shift, 0.0])  # Z is counted from below the top on a table
        self.z: str | None = None
        self.feed = ""

    def lines(self, steps: tuple[Motion, ...], name: str, zero: str) -> Iterator[str]:
        yield from self._head(name, zero)
        turning: Tool | None = None
        tool: Tool | None = None
        entry = -1
        for one in steps:
            if one.entry != entry and one.kind != "tool" and one.entry >= 0:
                entry = one.entry
                what = self.plan.entries[entry]
                yield from self._say(f"{entry + 1}: {what.operation}, tool {what.tool.number}")
            if one.kind == "tool":
                assert one.tool is not None
                if turning is not None:
                    yield switch(self.machine, turning, "off")
                yield from self._change(one.tool, first=tool is None)
                tool = one.tool
                turning = tool if tool.kind in BITS else None
                if turning is not None:
                    yield from self._on(tool, self.plan.entries[one.entry])
            elif one.kind in ("on", "off"):
                assert tool is not None
                if one.kind == "on":
                    yield from self._on(tool, self.plan.entries[one.entry])
                else:
                    yield switch(self.machine, tool, "off")
            elif one.kind == "wait":
                yield f"G4 P{one.seconds:.3f}"
            elif one.kind == "lift":
                self.z = self._number((one.points[0, 2] + self.shift[2]) * self.scale[2])
                yield f"G0 Z{self.z}"
            else:
                yield from self._moves(one)
        if turning is not None:
            yield switch(self.machine, turning, "off")
        yield from self.machine.end_lines
        yield "M2"

    def _head(self, name: str, zero: str) -> Iterator[str]:
        plan, machine = self.plan, self.machine
        yield from self._say(f"{name or 'part'}: Silhueta {__version__}")
        unit = "mm" if self.units == "mm" else "inch"
        yield from self._say(f"unit {unit}, {plan.process} on {machine.name}")
        if plan.thickness:
            material = f" of {plan.material.name}" if plan.material else ""
            yield from self._say(f"sheet {plan.thickness:g} mm{material}")
        if zero:
            yield from self._say(zero)
        how = "in this file" if plan.settings.compensate == "file" else "left to the machine"
        yield from self._say(f"kerf or bit is allowed for {how}")
        if machine.arcs == "lines":
            yield from self._say(f"arcs are short lines, {machine.arc_error_mm:g} mm off at most")
        if machine.inverse:
            yield from self._say(f"counted the other way: {', '.join(machine.inverse)}")
        yield from machine.start_lines
        yield f"{'G21' if self.units == 'mm' else 'G20'} G17 G90 G94 G40"

    def _change(self, tool: Tool, first: bool) -> Iterator[str]:
        self.shift[2] = self.plan.thickness if tool.zero == "table" else 0.0
        self.z, self.feed = None, ""
        what = f"tool {tool.number}: {tool.kind} {tool.diameter_mm:g} mm"
        if tool.kind in BITS:
            on = "table" if tool.zero == "table" else "top of the sheet"
            what += f", set Z 0 on the {on}"
        yield from self._say(what)
        if self.machine.tool_change:
            yield f"T{tool.number} M6"
            if not first:  # it waits, so that zero can be set anew
                yield "M0"

    def _on(self, tool: Tool, entry: Entry) -> Iterator[str]:
        line = switch(self.machine, tool, "on")
        value = value_of(self.plan, entry, tool)
        if not value:
            yield line
        elif line.strip().upper() in ("M3", "M4", "M03", "M04"):
            yield f"S{value:g} {line}"
        else:
            yield f"S{value:g}"
            yield line

    def _moves(self, one: Motion) -> Iterator[str]:
        points, bulges = one.points + self.shift, one.bulges
        if self.machine.arcs == "lines" and bulges.any():
            points = as_lines(points, bulges, self.machine.arc_error_mm)
            bulges = np.zeros(len(points) - 1)
        points = points * self.scale
        bulges = bulges * self.turn
        no_z = self.plan.flat and (self.machine.z == "none" or not self.machine.clearance_mm)
        straight = "G0" if one.kind == "rapid" else "G1"
        # mm/min or inches a minute, whichever way an axis counts
        feed = "" if one.kind == "rapid" else self._number(one.feed * abs(float(self.scale[0])))
        rows = points.tolist()
        told = [(self._number(x), self._number(y), self._number(z)) for x, y, z in rows]
        for k, bulge in enumerate(bulges.tolist()):
            x, y, z = told[k + 1]
            line = f"{straight} X{x} Y{y}"
            if bulge:
                line = f"{'G3' if bulge > 0 else 'G2'} X{x} Y{y} {self._centre(told, k, bulge)}"
            if z != self.z and not no_z:
                line += f" Z{z}"
                self.z = z
            if feed and feed != self.feed:
                line += f" F{feed}"
                self.feed = feed
            yield line

    def _centre(self, told: list[tuple[str, str, str]], k: int, bulge: float) -> str:
        """Return I and J: from the start as it is written to a centre as far from both ends."""
        u = float(told[k + 1][0]) - float(told[k][0])
        v = float(told[k + 1][1]) - float(told[k][1])
        off = (1 - bulge * bulge) / (4 * bulge)
        return f"I{self._number(u / 2 - off * v)} J{self._number(v / 2 + off * u)}"

    def _number(self, value: float) -> str:
        if not math.isfinite(value):
            raise ValueError("a coordinate is not finite")
        text = f"{value:.{self.digits}f}".rstrip("0").rstrip(".")
        return "0" if text in ("-0", "") else text

    def _say(self, text: str) -> Iterator[str]:
        """Yield a comment, as the machine has them: plain letters, no brackets (3.3.3)."""
        bare = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode()
        bare = "".join(c if c.isprintable() and c not in "();" else " " for c in bare)[:_LONGEST]
        if self.machine.comments == "brackets":
            yield f"({bare})"
        elif self.machine.comments == "semicolon":
            yield f"; {bare}"


def as_lines(points: Floats, bulges: Floats, error: float) -> Floats:
    """Return a way with its arcs as short lines that are `error` mm off at most.

    Parameters
    ----------
    points : (N, 3) ndarray, mm
    bulges : (N - 1,) ndarray
    error : float, mm

    """
    found = [points[:1]]
    for k, bulge in enumerate(bulges.tolist()):
        a, b = points[k], points[k + 1]
        if bulge:
            chord = b[:2] - a[:2]
            turn = 4 * math.atan(bulge)
            radius = float(np.hypot(*chord)) / (2 * abs(math.sin(turn / 2)) or 1e-300)
            # the error of a chord over an angle w is r (1 - cos(w / 2)); rounding takes a little
            widest = 2 * math.acos(max(1 - 0.9 * error / radius, 0.0))
            count = max(1, min(math.ceil(abs(turn) / max(widest, 1e-9)), _MOST_LINES))
            off = (1 - bulge * bulge) / (4 * bulge)
            centre = (a[:2] + b[:2]) / 2 + off * np.array([-chord[1], chord[0]])
            share = np.arange(1, count) / count
            c, s = np.cos(turn * share), np.sin(turn * share)
            x, y = a[:2] - centre
            plane = centre + np.column_stack([c * x - s * y, s * x + c * y])
            found.append(np.column_stack([plane, a[2] + share * (b[2] - a[2])]))
        found.append(b[None])
    return np.concatenate(found)
