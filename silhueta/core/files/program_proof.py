"""Whether a program does what its plan says: read again from its text, and held against it."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from silhueta.core.cutting.plan import Plan
from silhueta.core.cutting.program import Motion
from silhueta.core.errors import FileError
from silhueta.core.rs274.interpret import Deed, NotUnderstoodError, interpret

OFF = 0.001  # mm, that what is read may be off: ten times what rounding leaves
_FEED_OFF = 0.01  # mm/min


class _Wanted(NamedTuple):
    """What the plan asks for next; the middle of a move tells which arc it is."""

    kind: str
    end: tuple[float, float, float] = (0.0, 0.0, 0.0)
    middle: tuple[float, float, float] | None = None
    feed: float = 0.0
    value: float = 0.0


def prove_program(
    plan: Plan, steps: tuple[Motion, ...], shift: tuple[float, float], text: bytes, name: str
) -> int:
    """Return how many moves a program has, once each is found to be what the plan asks for.

    Raises
    ------
    FileError
        Naming the line of the first difference.

    """
    wanted = _wanted(plan, steps, shift)
    moves, line = 0, 0
    try:
        for deed in interpret(text.decode("ascii")):
            line = deed.line
            if deed.kind in ("speed", "end"):
                continue
            want = next(wanted, None)
            fault = _differs(deed, want)
            if fault:
                raise FileError(
                    f"{name} came back with {fault} in line {deed.line}; not kept, please report "
                    "this"
                )
            moves += deed.kind in ("rapid", "feed")
    except (NotUnderstoodError, UnicodeDecodeError) as error:
        raise FileError(f"{name} could not be read back: {error}; not kept") from error
    left = next(wanted, None)
    if left is not None:
        raise FileError(f"{name} ends in line {line}, before all is done; not kept")
    return moves


def _wanted(plan: Plan, steps: tuple[Motion, ...], shift: tuple[float, float]) -> Iterator[_Wanted]:
    up, turning = 0.0, False
    for one in steps:
        if one.kind == "tool":
            assert one.tool is not None
            if turning:
                yield _Wanted("off")
            yield _Wanted("tool", value=one.tool.number)
            up = plan.thickness if one.tool.zero == "table" else 0.0
            turning = one.tool.kind not in ("torch", "beam", "blade")
            if turning:
                yield _Wanted("on")
        elif one.kind in ("on", "off"):
            yield _Wanted(one.kind)
        elif one.kind == "wait":
            yield _Wanted("wait", value=one.seconds)
        elif one.kind == "lift":
            yield _Wanted("lift", (0.0, 0.0, float(one.points[0, 2]) + up))
        else:
            kind = "rapid" if one.kind == "rapid" else "feed"
            move = np.array([shift[0], shift[1], up])
            for a, b, bulge in zip(
                one.points[:-1] + move, one.points[1:] + move, one.bulges.tolist(), strict=True
            ):
                chord = b - a
                middle = (a + b) / 2 + bulge / 2 * np.array([chord[1], -chord[0], 0.0])
                end = (float(b[0]), float(b[1]), float(b[2]))
                if kind == "rapid":  # where the first one starts is for the machine to know
                    yield _Wanted(kind, end)
                    continue
                half = (float(middle[0]), float(middle[1]), float(middle[2]))
                yield _Wanted(kind, end, half, one.feed)
    if turning:
        yield _Wanted("off")


def _differs(deed: Deed, want: _Wanted | None) -> str:
    """Return in words what differs, or ""."""
    if want is None:
        return f"{deed.kind}, and nothing more was meant,"
    if want.kind == "lift" and deed.kind == "rapid":
        straight = deed.end[:2] == deed.start[:2] and abs(deed.end[2] - want.end[2]) <= OFF
        return "" if straight else "a move that is not straight up"
    if deed.kind != want.kind:
        return f"{deed.kind} where {want.kind} was meant"
    if deed.kind in ("tool", "wait") and abs(deed.value - want.value) > OFF:
        return f"{deed.kind} {deed.value:g} instead of {want.value:g}"
    if deed.kind not in ("rapid", "feed"):
        return ""
    if not math.dist(deed.end, want.end) <= OFF:
        return f"a move to {_told(deed.end)} instead of {_told(want.end)}"
    if want.middle is not None and not math.dist(_middle(deed), want.middle) <= OFF:
        return f"a move by {_told(_middle(deed))} instead of {_told(want.middle)}"
    if deed.kind == "feed" and abs(deed.feed - want.feed) > _FEED_OFF:
        return f"a feed of {deed.feed:g} instead of {want.feed:g} mm/min"
    return ""


def _middle(deed: Deed) -> tuple[float, float, float]:
    z = (deed.start[2] + deed.end[2]) / 2
    if deed.centre is None:
        return (deed.start[0] + deed.end[0]) / 2, (deed.start[1] + deed.end[1]) / 2, z
    x, y = deed.start[0] - deed.centre[0], deed.start[1] - deed.centre[1]
    c, s = math.cos(deed.turn / 2), math.sin(deed.turn / 2)
    return deed.centre[0] + c * x - s * y, deed.centre[1] + s * x + c * y, z


def _told(place: tuple[float, float, float]) -> str:
    return ", ".join(f"{v:.4f}" for v in place)
