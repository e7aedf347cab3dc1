"""How long a program takes on a machine that cannot start, stop or turn at once.

Words used here
    corner speed    how fast a corner may be gone through: the machine rounds it by so much, and its
                    acceleration bends the way along that round (textbook: v² = a r)
    profile         speed over a stretch: up, along, down, each at the machine's acceleration, the
                    trapezoidal velocity profile of the textbooks (B. Siciliano et al., Robotics:
                    Modelling, Planning and Control, 2009, section 4.2.1)
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from silhueta.core.compiled import compiled
from silhueta.core.cutting.program import Motion
from silhueta.core.geometry.path import Floats
from silhueta.core.shop.machines import Machine

_STRAIGHT = 1e-9  # of the cosine: a way that goes on turns by nothing


@dataclass(frozen=True)
class Times:
    """How long a program takes, and how far it goes.

    Parameters
    ----------
    seconds : float
        In all, tool changes counted in.
    cut_mm, rapid_mm : float
        With the tool in the sheet, leads counted in; between cuts, in the plane and up and down.
    pierces : int
        Times that it goes into the sheet.
    by_tool : mapping of int to float
        Seconds of each tool, by its number.
    changes : int
        Of tools, the first one left out.

    """

    seconds: float
    cut_mm: float
    rapid_mm: float
    pierces: int
    by_tool: dict[int, float] = field(default_factory=dict)
    changes: int = 0


def times(motions: Sequence[Motion], machine: Machine) -> Times:
    """Return how long motions take on a machine, and how far they go.

    It stands still where a motion of one kind ends and another begins, as the tool is put on or off
    there; cuts that follow each other are gone through.
    """
    whole, cut, rapid, pierces, changes = 0.0, 0.0, 0.0, 0, 0
    by_tool: dict[int, float] = {}
    number: int | None = None
    run: list[Motion] = []
    inside = False

    def spent() -> float:
        nonlocal run
        taken = _run_seconds(run, machine) if run else 0.0
        run = []
        return taken

    for one in motions:
        if one.kind == "cut" and (not run or run[-1].kind == "cut"):
            run.append(one)
        else:
            more = spent()
            if one.kind == "cut":
                run.append(one)
            elif one.kind == "rapid":
                more += _rapid_seconds(one, machine)
            elif one.kind == "plunge":
                far = float(np.linalg.norm(one.points[-1] - one.points[0]))
                more += profile(far, 0.0, 0.0, one.feed / 60, machine.acceleration_mm_s2)
            elif one.kind == "wait":
                more += one.seconds
            elif one.kind == "tool":
                assert one.tool is not None
                if number is not None:
                    changes += 1
                    more += machine.tool_change_seconds
                number = one.tool.number
            whole += more
            if number is not None:
                by_tool[number] = by_tool.get(number, 0.0) + more
        far = _length(one)
        if one.kind == "rapid":
            rapid += far
            inside = inside and float(one.points[-1, 2]) < 0
        elif one.kind == "cut" or (one.kind == "plunge" and one.points[-1, 2] < 0):
            cut += far
        if one.kind == "on" or (one.kind in ("plunge", "cut") and not inside and _sinks(one)):
            pierces += 1
            inside = one.kind != "on"
    more = spent()
    whole += more
    if number is not None:
        by_tool[number] = by_tool.get(number, 0.0) + more
    return Times(whole, cut, rapid, pierces, by_tool, changes)


def _sinks(one: Motion) -> bool:
    return float(one.points[0, 2]) >= 0 > float(one.points[-1, 2])


def _length(one: Motion) -> float:
    return float(_pieces(one)[0].sum()) if len(one.points) > 1 else 0.0


def _pieces(one: Motion) -> tuple[Floats, Floats, Floats, Floats]:
    """Return the length of each piece of a motion, its ways at both ends, (K, 3), and radius."""
    step = np.diff(one.points, axis=0)
    chord = np.hypot(step[:, 0], step[:, 1])
    turn = 4 * np.arctan(one.bulges)
    half = np.abs(turn) / 2
    with np.errstate(invalid="ignore", divide="ignore"):
        flat = np.where(half > 0, chord * half / np.sin(half), chord)
        radius = np.where(half > 0, chord / (2 * np.sin(half)), np.inf)
    size = np.hypot(flat, step[:, 2])
    angle = np.arctan2(step[:, 1], step[:, 0])
    ways = []
    for way in (angle - turn / 2, angle + turn / 2):
        rows = np.column_stack([flat * np.cos(way), flat * np.sin(way), step[:, 2]])
        ways.append(rows / np.maximum(size, 1e-300)[:, None])
    return size, ways[0], ways[1], radius


def _rapid_seconds(one: Motion, machine: Machine) -> float:
    step = one.points[-1] - one.points[0]
    flat, high = math.hypot(step[0], step[1]), abs(float(step[2]))
    a = machine.acceleration_mm_s2
    sideways = profile(flat, 0.0, 0.0, machine.rapid_mm_min / 60, a)
    up = profile(high, 0.0, 0.0, machine.z_rapid_mm_min / 60, a)
    return max(sideways, up)


def _run_seconds(run: Sequence[Motion], machine: Machine) -> float:
    """Return how long cuts that follow each other take, gone through in one."""
    parts = [_pieces(one) for one in run]
    size = np.concatenate([p[0] for p in parts])
    first = np.concatenate([p[1] for p in parts])
    last = np.concatenate([p[2] for p in parts])
    radius = np.concatenate([p[3] for p in parts])
    most = machine.max_feed_mm_min
    feed = np.concatenate(
        [np.full(len(p[0]), min(one.feed, most) / 60) for p, one in zip(parts, run, strict=True)]
    )
    real = size > 1e-9
    size, first, last, radius, feed = size[real], first[real], last[real], radius[real], feed[real]
    if not len(size):
        return 0.0
    a = machine.acceleration_mm_s2
    top = np.minimum(feed, np.sqrt(a * radius))
    cos = np.clip((last[:-1] * first[1:]).sum(axis=1), -1.0, 1.0)
    corner = np.minimum(corner_speed(cos, a, machine.corner_mm), np.minimum(top[:-1], top[1:]))
    speeds = np.concatenate([[0.0], corner, [0.0]])
    return float(walk(size, top, speeds, a).sum())


def corner_speed(cos: Floats, acceleration: float, off: float) -> Floats:
    """Return how fast corners may be gone through, mm/s, rounded by `off` mm at most.

    A round of radius r that leaves a corner of turn t by `off` has off = r (1 / cos(t / 2) - 1).
    """
    half = np.sqrt(np.maximum((1 + cos) / 2, 0.0))  # the cosine of half the turn
    with np.errstate(divide="ignore", invalid="ignore"):
        radius = off * half / (1 - half)
    return np.where(cos > 1 - _STRAIGHT, np.inf, np.sqrt(acceleration * np.maximum(radius, 0.0)))


@compiled
def walk(size: Floats, top: Floats, speeds: Floats, a: float) -> Floats:
    """Return the time along each piece, s; their ends may be gone through at `speeds` at most."""
    count = len(size)
    for k in range(count - 1, -1, -1):  # so that it can always stop in time
        speeds[k] = min(speeds[k], math.sqrt(speeds[k + 1] ** 2 + 2 * a * size[k]))
    spent = np.zeros(count)
    for k in range(count):  # and is never faster than it can have become
        speeds[k + 1] = min(speeds[k + 1], math.sqrt(speeds[k] ** 2 + 2 * a * size[k]))
        spent[k] = profile(size[k], speeds[k], speeds[k + 1], top[k], a)
    return spent


@compiled
def profile(far: float, first: float, last: float, top: float, a: float) -> float:
    """Return the time over a stretch, s, from one speed to another, at most `top`, mm/s."""
    if far <= 0:
        return 0.0
    top = max(top, first, last)
    peak = math.sqrt(max((2 * a * far + first**2 + last**2) / 2, 0.0))
    if peak <= top:
        return (2 * peak - first - last) / a
    ramps = (2 * top**2 - first**2 - last**2) / (2 * a)
    return (2 * top - first - last) / a + (far - ramps) / top
