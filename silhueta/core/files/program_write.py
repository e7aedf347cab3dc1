"""Programs in RS-274, as NIST publishes it (NISTIR 6556): a plan's motions, line by line."""

from __future__ import annotations

import math
import unicodedata
from collections.abc import Iterator

from silhueta import __version__
from silhueta.core.cutting.plan import Plan
from silhueta.core.cutting.program import Motion
from silhueta.core.errors import FileError
from silhueta.core.geometry.path import Floats
from silhueta.core.plan_settings import Tool
from silhueta.core.units import MM_PER_UNIT, Unit

_LONGEST = 100  # letters of a comment: lines of over 256 are not read (3.3)
_BITS = ("flat", "ball", "vbit", "drill")


def program_bytes(
    plan: Plan,
    steps: tuple[Motion, ...],
    units: Unit,
    shift: tuple[float, float],
    name: str = "",
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

    Raises
    ------
    FileError
        If the machine's bed is too small for it.

    """
    writer = _Writer(plan, units, shift)
    lines = [*writer.head(name), *writer.run(steps)]
    return ("\n".join(lines) + "\n").encode("ascii")


class _Writer:
    """Writes blocks; knows what is in force, so that it is not said again."""

    def __init__(self, plan: Plan, units: Unit, shift: tuple[float, float]) -> None:
        self.plan, self.machine, self.units = plan, plan.machine, units
        self.unit = MM_PER_UNIT[units]
        # a tenth of a micron, so that arcs' radii agree
        self.digits = 4 if units == "mm" else 6
        self.shift = shift
        self.z: str | None = None
        self.feed = ""
        self.up = 0.0  # mm that Z is counted from below the sheet's top

    def head(self, name: str) -> Iterator[str]:
        plan = self.plan
        yield from self._say(f"{name or 'part'}: Silhueta {__version__}")
        yield from self._say(
            f"unit {'mm' if self.units == 'mm' else 'inch'}, {plan.process} on {self.machine.name}"
        )
        if plan.thickness:
            material = f" of {plan.material.name}" if plan.material else ""
            yield from self._say(f"sheet {plan.thickness:g} mm{material}")
        how = "in this file" if plan.settings.compensate == "file" else "left to the machine"
        yield from self._say(f"kerf or bit is allowed for {how}")
        yield f"{'G21' if self.units == 'mm' else 'G20'} G17 G90 G94 G40"

    def run(self, steps: tuple[Motion, ...]) -> Iterator[str]:
        self._fits(steps)
        turning, entry = False, -1
        for one in steps:
            if one.entry != entry and one.kind != "tool" and one.entry >= 0:
                entry = one.entry
                what = self.plan.entries[entry]
                yield from self._say(f"{entry + 1}: {what.operation}, tool {what.tool.number}")
            if one.kind == "tool":
                assert one.tool is not None
                if turning:
                    yield "M5"
                yield from self._change(one.tool)
                turning = one.tool.kind in _BITS
            elif one.kind == "on":
                yield "M3"
            elif one.kind == "off":
                yield "M5"
            elif one.kind == "wait":
                yield f"G4 P{one.seconds:.3f}"
            elif one.kind == "lift":
                self.z = self._number(one.points[0, 2] + self.up)
                yield f"G0 Z{self.z}"
            else:
                yield from self._moves(one)
        if turning:
            yield "M5"
        yield "M2"

    def _fits(self, steps: tuple[Motion, ...]) -> None:
        """Refuse what is larger than the machine's bed."""
        rows = [m.points for m in steps if m.kind in ("cut", "plunge")]
        if not rows:
            raise FileError("nothing is planned, so there is no program to write")
        low = [min(float(r[:, k].min()) for r in rows) for k in (0, 1)]
        high = [max(float(r[:, k].max()) for r in rows) for k in (0, 1)]
        for k, axis in enumerate("XY"):
            if high[k] - low[k] > self.machine.bed_mm[k] + 1e-6:
                raise FileError(
                    f"the cut is {high[k] - low[k]:.1f} mm along {axis}, the bed of "
                    f"{self.machine.name} has {self.machine.bed_mm[k]:g} mm; cut it into sections "
                    "at Build, turn it, or choose another machine"
                )

    def _change(self, tool: Tool) -> Iterator[str]:
        self.up = self.plan.thickness if tool.zero == "table" else 0.0
        self.z, self.feed = None, ""
        what = f"tool {tool.number}: {tool.kind} {tool.diameter_mm:g} mm"
        if tool.kind in _BITS:
            on = "table" if tool.zero == "table" else "top of the sheet"
            what += f", set Z 0 on the {on}"
        yield from self._say(what)
        yield f"T{tool.number} M6"
        if tool.kind in _BITS:
            material = self.plan.material
            speed = tool.speed_rpm or (material.speed_rpm if material else 0.0)
            yield f"S{speed:g} M3" if speed else "M3"

    def _moves(self, one: Motion) -> Iterator[str]:
        for k in range(len(one.points) - 1):
            bulge = float(one.bulges[k])
            start, end = one.points[k], one.points[k + 1]
            code = "G0" if one.kind == "rapid" else "G1"
            words = [f"X{self._x(end[0])}", f"Y{self._y(end[1])}"]
            if bulge:
                code = "G3" if bulge > 0 else "G2"
                words += self._centre(start, end, bulge)
            z = self._number(end[2] + self.up)
            if z != self.z and not (self.plan.flat and not self.machine.clearance_mm):
                words.append(f"Z{z}")
                self.z = z
            if one.kind != "rapid":
                feed = self._number(one.feed)
                if feed != self.feed:
                    words.append(f"F{feed}")
                    self.feed = feed
            yield f"{code} {' '.join(words)}"

    def _centre(self, start: Floats, end: Floats, bulge: float) -> list[str]:
        """Return I and J: from the start as it is written to a centre as far from both ends."""
        x, y = float(self._x(start[0])), float(self._y(start[1]))
        u, v = float(self._x(end[0])) - x, float(self._y(end[1])) - y
        off = (1 - bulge * bulge) / (4 * bulge)
        return [f"I{self._digits(u / 2 - off * v)}", f"J{self._digits(v / 2 + off * u)}"]

    def _x(self, value: float) -> str:
        return self._number(float(value) + self.shift[0])

    def _y(self, value: float) -> str:
        return self._number(float(value) + self.shift[1])

    def _number(self, mm: float) -> str:
        return self._digits(mm / self.unit)

    def _digits(self, value: float) -> str:
        if not math.isfinite(value):
            raise ValueError("a coordinate is not finite")
        text = f"{value:.{self.digits}f}".rstrip("0").rstrip(".")
        return "0" if text in ("-0", "") else text

    def _say(self, text: str) -> Iterator[str]:
        """Yield a comment: plain letters, no brackets (3.3.3)."""
        bare = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode()
        bare = "".join(c if c.isprintable() and c not in "();" else " " for c in bare)
        yield f"({bare[:_LONGEST]})"
