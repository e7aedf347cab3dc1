"""Whether a program does what its plan says: read again from its text, and held against it."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from typing import Literal, NamedTuple

from silhueta.core.cutting.plan import Plan
from silhueta.core.cutting.program import Motion
from silhueta.core.errors import FileError
from silhueta.core.plan_settings import BITS, Tool
from silhueta.core.rs274.deeds import Deed, NotUnderstoodError, Place
from silhueta.core.rs274.interpret import interpret
from silhueta.core.shop.machines import Machine

OFF = 0.001  # mm, that what is read may be off, besides what the file's decimals leave
_PLAIN = {"M3": "on", "M4": "on", "M5": "off"}  # (3.6.3)
_FEED_OFF = 0.01  # mm/min
_ALLOWED = ("speed", "end")  # deeds that nothing is held against here


class _Wanted(NamedTuple):
    """What the plan asks for next; the middle of a move tells which arc it is."""

    kind: str
    end: Place = (0.0, 0.0, 0.0)
    middle: Place | None = None
    feed: float = 0.0
    value: float = 0.0
    bulge: float = 0.0
    start: Place = (0.0, 0.0, 0.0)


def prove_program(
    plan: Plan, steps: tuple[Motion, ...], shift: tuple[float, float], text: bytes, name: str
) -> int:
    """Return how many moves a program has, once each is found to be what the plan asks for.

    Raises
    ------
    FileError
        Naming the line of the first difference.

    """
    proof = _Proof(plan, _wanted(plan, steps, shift))
    line = 0
    try:
        for deed in interpret(text.decode("ascii"), words=machine_words(plan.machine)):
            line = deed.line
            fault = proof.differs(deed)
            if fault:
                raise FileError(
                    f"{name} came back with {fault} in line {deed.line}; not kept, please report "
                    "this"
                )
    except NotUnderstoodError as error:
        own = _own_line(plan.machine, text, error.line)
        why = f"“{own}” of {plan.machine.name}: {error.args[0]}" if own else str(error)
        raise FileError(f"{name} could not be read back: {why}; not kept") from error
    except UnicodeDecodeError as error:
        raise FileError(f"{name} could not be read back: {error}; not kept") from error
    if proof.left():
        raise FileError(f"{name} ends in line {line}, before all is done; not kept")
    return proof.moves


def machine_words(machine: Machine) -> dict[str, Literal["on", "off"]]:
    """Return what a machine's own lines for tools mean."""
    found: dict[str, Literal["on", "off"]] = {}
    for name, line in machine.words.items():
        means: Literal["on", "off"] = "off" if name.endswith("_off") else "on"
        if _PLAIN.get(line) != means:  # what the standard says anyway needs no telling
            found[line] = means
    return found


def _own_line(machine: Machine, text: bytes, number: int) -> str:
    """Return a line of a program, if the machine's record says it; "" else."""
    lines = text.decode("ascii", "replace").splitlines()
    line = lines[number - 1] if number <= len(lines) else ""
    bare = re.sub(r"^N\d+ ", "", line)
    return bare if bare in (*machine.start_lines, *machine.end_lines) else ""


class _Proof:
    """Holds deeds against what is wanted, one after the other."""

    def __init__(self, plan: Plan, wanted: Iterator[_Wanted]) -> None:
        machine = plan.machine
        self.error = machine.arc_error_mm if machine.arcs == "lines" else None
        # what rounding to the file's decimals leaves of the middle of an arc, and of an end
        self.off = OFF + 10.0**-machine.decimals
        self.moves = 0
        self._wanted = wanted
        self._bent: _Wanted | None = None  # an arc that is gone along in short lines
        self._speed = 0.0

    def left(self) -> bool:
        """Return whether something is wanted still."""
        return self._bent is not None or next(self._wanted, None) is not None

    def differs(self, deed: Deed) -> str:
        """Return in words what differs from what is wanted next, or ""."""
        if deed.kind == "speed":
            self._speed = deed.value
        if deed.kind in _ALLOWED:
            return ""
        self.moves += deed.kind in ("rapid", "feed")
        want = self._bent or next(self._wanted, None)
        if want is None:
            return f"{deed.kind}, and nothing more was meant,"
        if self.error is not None and want.bulge and deed.kind == want.kind == "feed":
            return self._along(deed, want)
        if want.kind == "lift" and deed.kind == "rapid":
            straight = deed.end[:2] == deed.start[:2] and abs(deed.end[2] - want.end[2]) <= OFF
            return "" if straight else "a move that is not straight up"
        if deed.kind != want.kind:
            return f"{deed.kind} where {want.kind} was meant"
        if deed.kind in ("tool", "wait") and abs(deed.value - want.value) > OFF:
            return f"{deed.kind} {deed.value:g} instead of {want.value:g}"
        if deed.kind == "on" and want.value and abs(self._speed - want.value) > OFF:
            return f"S{self._speed:g} instead of {want.value:g}"
        if deed.kind not in ("rapid", "feed"):
            return ""
        if not math.dist(deed.end, want.end) <= OFF:
            return f"a move to {_told(deed.end)} instead of {_told(want.end)}"
        if want.middle is not None and not math.dist(_middle(deed), want.middle) <= self.off:
            return f"a move by {_told(_middle(deed))} instead of {_told(want.middle)}"
        return _other_feed(deed, want)

    def _along(self, deed: Deed, want: _Wanted) -> str:
        """Return what differs where an arc is gone along in short lines."""
        assert self.error is not None
        (ax, ay, az), (bx, by, bz) = want.start, want.end
        off = (1 - want.bulge**2) / (4 * want.bulge)
        x, y = (ax + bx) / 2 - off * (by - ay), (ay + by) / 2 + off * (bx - ax)
        radius = math.hypot(ax - x, ay - y)
        whole = abs(4 * math.atan(want.bulge))
        sense = math.copysign(1.0, want.bulge)

        def gone(place: Place) -> float:
            """Return by how much a place lies along the arc, in radians."""
            first = math.atan2(ay - y, ax - x)
            turned = sense * (math.atan2(place[1] - y, place[0] - x) - first)
            slack = 2 * OFF / max(radius, OFF)
            return (turned + slack) % (2 * math.pi) - slack

        if deed.centre is not None:
            return "an arc where short lines were meant"
        last = math.dist(deed.end, want.end) <= OFF
        before, now = gone(deed.start), whole if last else gone(deed.end)
        if now <= before or now > whole + 1e-9:
            return f"a move to {_told(deed.end)} that does not follow its arc"
        for place, allowed in ((deed.end, OFF), (_middle(deed), self.error + OFF)):
            if abs(math.hypot(place[0] - x, place[1] - y) - radius) > allowed:
                return f"a move by {_told(place)} that is off its arc"
        if abs(deed.end[2] - (az + (bz - az) * min(now / whole, 1.0))) > 2 * OFF:
            return f"a move to {_told(deed.end)} at another depth than meant"
        self._bent = None if last else want
        return _other_feed(deed, want)


def _other_feed(deed: Deed, want: _Wanted) -> str:
    if deed.kind == "feed" and abs(deed.feed - want.feed) > _FEED_OFF:
        return f"a feed of {deed.feed:g} instead of {want.feed:g} mm/min"
    return ""


def _wanted(plan: Plan, steps: tuple[Motion, ...], shift: tuple[float, float]) -> Iterator[_Wanted]:
    up, turning, first = 0.0, False, True
    x, y, z = (-1.0 if axis in plan.machine.inverse else 1.0 for axis in "XYZ")
    sense = x * y  # an axis that counts the other way turns arcs round
    tool: Tool | None = None
    for one in steps:
        if one.kind == "tool":
            assert one.tool is not None
            tool = one.tool
            if turning:
                yield _Wanted("off")
            if plan.machine.tool_change:
                yield _Wanted("tool", value=tool.number)
                if not first:
                    yield _Wanted("stop")
            first = False
            up = plan.thickness if tool.zero == "table" else 0.0
            turning = tool.kind not in ("torch", "beam", "blade")
            if turning:
                yield _Wanted("on", value=_power(plan, tool, one.entry))
        elif one.kind == "on":
            assert tool is not None
            yield _Wanted("on", value=_power(plan, tool, one.entry))
        elif one.kind == "off":
            yield _Wanted("off")
        elif one.kind == "wait":
            yield _Wanted("wait", value=one.seconds)
        elif one.kind == "lift":
            yield _Wanted("lift", (0.0, 0.0, z * (float(one.points[0, 2]) + up)))
        else:
            kind = "rapid" if one.kind == "rapid" else "feed"
            places = (one.points + [shift[0], shift[1], up]) * [x, y, z]
            if plan.flat and plan.machine.z == "none":
                places[:, 2] = 0.0
            rows = [(row[0], row[1], row[2]) for row in places.tolist()]
            for a, b, bulge in zip(rows[:-1], rows[1:], one.bulges.tolist(), strict=True):
                if kind == "rapid":  # where the first one starts is for the machine to know
                    yield _Wanted(kind, b)
                    continue
                half = sense * bulge / 2
                middle = (
                    (a[0] + b[0]) / 2 + half * (b[1] - a[1]),
                    (a[1] + b[1]) / 2 - half * (b[0] - a[0]),
                    (a[2] + b[2]) / 2,
                )
                yield _Wanted(kind, b, middle, one.feed, bulge=sense * bulge, start=a)
    if turning:
        yield _Wanted("off")


def _power(plan: Plan, tool: Tool, entry: int) -> float:
    """Return what S has to say: turns of a bit, or a beam's share of its power; 0: nothing."""
    material = plan.material
    if tool.kind in BITS:
        return tool.speed_rpm or (material.speed_rpm if material else 0.0)
    full = plan.machine.full_power_s
    if tool.kind != "beam" or not full:
        return 0.0
    percents = [tool.power_percent]
    if material is not None:
        percents.append(material.power_percent)
        if plan.entries[entry].operation in ("engrave", "mark"):
            percents.insert(0, material.engrave_power_percent)
    return full * min(next((one for one in percents if one), 100.0), 100.0) / 100


def _middle(deed: Deed) -> Place:
    z = (deed.start[2] + deed.end[2]) / 2
    if deed.centre is None:
        return (deed.start[0] + deed.end[0]) / 2, (deed.start[1] + deed.end[1]) / 2, z
    x, y = deed.start[0] - deed.centre[0], deed.start[1] - deed.centre[1]
    c, s = math.cos(deed.turn / 2), math.sin(deed.turn / 2)
    return deed.centre[0] + c * x - s * y, deed.centre[1] + s * x + c * y, z


def _told(place: Place) -> str:
    return ", ".join(f"{v:.4f}" for v in place)
