"""How sound cut plans are: order, leads, compensated ways, pockets, grooves, tabs, times.

Sheets are drawn by this file alone. Ways are judged by shapely's buffers and distances, the order
by a solver for vehicle routing (ortools, where it is installed), times by a walk of 1 ms steps that
knows the machine's limits and nothing of ours.

    python -m benchmarks.plans [COUNT]

Words used here
    rapid      the way between cuts, in the plane
    reach      what a round bit can clear of a field: eroded and dilated by its radius
    evenness   how far the gaps between tabs are from each other, as a part of the mean gap
"""

from __future__ import annotations

import math
import sys
import time
from dataclasses import replace

import numpy as np
import shapely

from silhueta.core.cutting.plan import Entry, Plan
from silhueta.core.cutting.planned import planned
from silhueta.core.cutting.pocket import cleared
from silhueta.core.cutting.program import Motion, motions
from silhueta.core.cutting.timing import times
from silhueta.core.cutting.vgroove import grooves
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, Path, circle_loop
from silhueta.core.inspect_settings import Limits
from silhueta.core.job import Job
from silhueta.core.plan_settings import PlanSettings
from silhueta.core.shop.machines import Machine

KERF, BIT = 1.5, 6.35
_FINE = 2e-4  # mm, to which the judge follows curves


def blob(rng: np.random.Generator, x: float, y: float, size: float) -> Loop:
    """Return a random shape about a place: a circle, a rectangle at an angle, or a polygon."""
    kind = rng.integers(3)
    if kind == 0:
        return circle_loop((x, y), size / 2)
    if kind == 1:
        wide, high = size * rng.uniform(0.5, 0.9), size * rng.uniform(0.35, 0.7)
        corners = np.array([[-wide, -high], [wide, -high], [wide, high], [-wide, high]]) / 2
    else:
        turn = np.sort(rng.uniform(0, 2 * math.pi, rng.integers(5, 9)))
        if np.diff(np.append(turn, turn[0] + 2 * math.pi)).max() > 2.4:
            return circle_loop((x, y), size / 2)
        corners = np.column_stack([np.cos(turn), np.sin(turn)]) * rng.uniform(0.3, 0.5) * size
    angle = rng.uniform(0, math.pi)
    c, s = math.cos(angle), math.sin(angle)
    return Loop(corners @ np.array([[c, s], [-s, c]]) + [x, y])


def plate(rng: np.random.Generator, at: float = 0.0) -> list[Loop]:
    """Return a plate of 200 x 150 mm with nineteen holes of random shapes and sizes."""
    loops = [Loop(np.array([[0, 0], [200, 0], [200, 150], [0, 150.0]]) + [at, 0])]
    for k in range(20):
        if k == 7:
            continue
        x, y = 20 + 40 * (k % 5), 19 + 37 * (k // 5)
        loops.append(blob(rng, at + x, y, float(rng.uniform(5, 30))))
    return loops


def job_of(loops: list[Loop], process: str = "plasma", **settings: object) -> Job:
    """Return a job of loops that are cut through."""
    width = {"plasma": KERF, "router": BIT}[process]
    return Job(
        outline=Outline(tuple(Contour(loop) for loop in loops)),
        inspect=Limits(process, 6.0, width),  # type: ignore[arg-type]
        plan=PlanSettings(**settings),  # type: ignore[arg-type]
    )


def line(path: Path) -> shapely.LineString:
    points = flatten(path, _FINE)
    return shapely.LineString(np.vstack([points, points[:1]]) if path.closed else points)


def _solid(loops: list[Loop]) -> shapely.Geometry:
    return shapely.Polygon(flatten(loops[0], _FINE), [flatten(one, _FINE) for one in loops[1:]])


# order


def rapid(entries: list[Entry]) -> float:
    """Return how far the tool goes between cuts in this order, mm."""
    return sum(math.dist(a.end, b.begin) for a, b in zip(entries, entries[1:], strict=False))


def reference(entries: list[Entry], seconds: int) -> float:
    """Return the same as the solver orders them; it too begins with the first."""
    from ortools.constraint_solver import pywrapcp, routing_enums_pb2

    begin = np.array([one.begin for one in entries])
    end = np.array([one.end for one in entries])
    far = np.rint(1000 * np.hypot(*(end[:, None] - begin[None, :]).transpose(2, 0, 1)))
    cost = np.pad(far.astype(np.int64), ((0, 1), (0, 1)))  # a last place that costs nothing
    count = len(entries)
    index = pywrapcp.RoutingIndexManager(count + 1, 1, [0], [count])
    model = pywrapcp.RoutingModel(index)
    model.SetArcCostEvaluatorOfAllVehicles(model.RegisterTransitMatrix(cost.tolist()))
    how = pywrapcp.DefaultRoutingSearchParameters()
    how.local_search_metaheuristic = routing_enums_pb2.LocalSearchMetaheuristic.GUIDED_LOCAL_SEARCH
    how.time_limit.seconds = seconds
    return model.SolveWithParameters(how).ObjectiveValue() / 1000


def order(sheets: int = 20, seconds: int = 5) -> dict[str, float]:
    """Return rapid ways on sheets of 200 plates, against the solver's."""
    rng = np.random.default_rng(15)
    ratios = []
    for _ in range(sheets):
        cells = rng.permutation(400)[:200]
        loops = [
            blob(rng, 50 * (k % 20) + rng.uniform(18, 32), 50 * (k // 20) + rng.uniform(18, 32), 20)
            for k in cells.tolist()
        ]
        entries = list(planned(job_of(loops)).entries)
        ratios.append(rapid(entries) / reference(entries, seconds))
    return {
        "rapid way / the solver's, mean": float(np.mean(ratios)),
        "rapid way / the solver's, worst": float(np.max(ratios)),
    }


def early(sheets: int = 200) -> dict[str, float]:
    """Return the nestings in which something was cut before what lies in it."""
    rng = np.random.default_rng(16)
    wrong = 0
    for _ in range(sheets):
        loops: list[Loop] = []
        for k in range(3):
            size, x = float(rng.uniform(60, 120)), 200.0 * k
            while size > 4:
                loops.append(
                    blob(rng, x, 0, size) if rng.random() < 0.3 else circle_loop((x, 0), size / 2)
                )
                size *= float(rng.uniform(0.2, 0.45))
        shuffled = [loops[k] for k in rng.permutation(len(loops)).tolist()]
        made = planned(job_of(shuffled, order=str(rng.choice(["parts", "holes"]))))
        areas = {k + 1: shapely.Polygon(flatten(one, 0.01)) for k, one in enumerate(shuffled)}
        keys = [one.key for one in made.entries]
        wrong += any(
            areas[key].contains(areas[later])
            for k, key in enumerate(keys)
            for later in keys[k + 1 :]
        )
    return {"cut before what lies in it": float(wrong)}


# leads and ways


def leads(sheets: int = 100) -> dict[str, float]:
    """Return leads on random holes and rims, and how far ways are from shapely's buffers."""
    rng = np.random.default_rng(17)
    count, got, touching, off = 0, 0, 0, 0.0
    for _ in range(sheets):
        loops = plate(rng)
        solid = _solid(loops)
        made = planned(job_of(loops, lead=str(rng.choice(["arc", "line"]))))
        wanted = [
            shapely.Polygon(flatten(loops[0], _FINE)).buffer(KERF / 2, quad_segs=512).exterior,
            *(
                shapely.Polygon(flatten(one, _FINE)).buffer(-KERF / 2, quad_segs=512).exterior
                for one in loops[1:]
            ),
        ]
        for one in made.entries:
            count += 1
            for way in one.ways:
                off = max(off, shapely.hausdorff_distance(line(way.path), wanted[one.key - 1]))
                got += way.lead_in is not None
                for lead in way.leads:
                    taken = line(lead).buffer(KERF / 2 - 0.005)
                    touching += shapely.intersects(taken, solid)
    return {
        "holes and rims": float(count),
        "with a lead, %": 100 * got / count,
        "leads that touch what stays": float(touching),
        "way off shapely's buffer, mm": off,
    }


# fields


def pockets(count: int = 60) -> dict[str, float]:
    """Return what a bit leaves though it could reach it, and what it cuts outside."""
    rng = np.random.default_rng(18)
    left, over = [], 0.0
    for k in range(count):
        loops = [blob(rng, 0, 0, float(rng.uniform(40, 120)))]
        if k % 3 == 0:
            loops.append(circle_loop((0, 0), 5))
        field = _solid(loops)
        way = "raster" if k % 2 else "spiral"
        ways = cleared(loops, BIT, float(rng.uniform(0.3, 0.6)), way)
        reach = field.buffer(-BIT / 2, quad_segs=256).buffer(BIT / 2, quad_segs=256)
        if not ways or reach.is_empty:
            continue
        done = shapely.MultiLineString([line(one) for one in ways]).buffer(BIT / 2, quad_segs=256)
        left.append(reach.difference(done).area / reach.area)
        over = max(over, done.difference(field.buffer(1e-3)).area)
    return {
        "left, mean, % of what can be reached": 100 * float(np.mean(left)),
        "left, worst, %": 100 * float(np.max(left)),
        "cut outside, worst, mm²": over,
    }


def groove_depths() -> dict[str, float]:
    """Return how far grooves are from the closed forms of wedge, circle, square and ring, mm."""
    slope = math.tan(math.radians(30))
    off = {}
    wedge = Loop(np.array([[0, 0], [60, -8], [60, 8.0]]))
    half = math.atan2(8, 60)
    found = grooves([wedge], 60, 100).ways
    worst = 0.0
    for one in found:
        for (x, y), deep in zip(one.path.nodes.tolist(), one.depths.tolist(), strict=True):
            side = x * math.sin(half) - abs(y) * math.cos(half)
            worst = max(worst, abs(deep - min(side, 60 - x) / slope))
    off["wedge"] = worst
    (cone,) = grooves([circle_loop((0, 0), 7)], 60, 100).ways
    off["circle"] = abs(float(cone.depths.max()) - 7 / slope)
    worst = 0.0
    for one in grooves([Loop(np.array([[0, 0], [30, 0], [30, 30], [0, 30.0]]))], 60, 100).ways:
        aside = np.minimum(one.path.nodes, 30 - one.path.nodes).min(axis=1)
        worst = max(worst, float(np.abs(one.depths - aside / slope).max()))
    off["square"] = worst
    ring = grooves([circle_loop((0, 0), 20), circle_loop((0, 0), 11)], 60, 100).ways
    off["ring"] = max(float(np.abs(one.depths - 4.5 / slope).max()) for one in ring)
    return {f"groove of a {name}, mm off": value for name, value in off.items()}


# tabs


def tabs(count: int = 500) -> dict[str, float]:
    """Return tabs on random parts: where they lie, and how even they are."""
    rng = np.random.default_rng(19)
    width, wrong, uneven, short, whole = 5.0, 0, 0, 0, 0
    for _ in range(count):
        loop = blob(rng, 0, 0, float(rng.uniform(150, 400)))
        many = int(rng.integers(3, 9))
        (entry,) = planned(job_of([loop], "router", tabs=many, tab_width=width)).entries
        (way,) = entry.ways
        whole += len(way.tabs)
        short += len(way.tabs) < many
        ring = line(way.path)
        corners = _sharp(way.path)
        for tab in way.tabs:
            middle = ring.project(shapely.Point(tab.at))
            near = np.abs(corners - middle)
            near = np.minimum(near, ring.length - near)
            wrong += bool(len(near)) and float(near.min()) < (width + BIT) / 2
        if len(way.tabs) == many:
            at = np.sort([ring.project(shapely.Point(tab.at)) for tab in way.tabs])
            gaps = np.diff(np.append(at, at[0] + ring.length))
            uneven += bool(np.abs(gaps / (ring.length / many) - 1).max() > 0.2)
    return {
        "tabs": float(whole),
        "tabs at a corner or on a small arc": float(wrong),
        "parts with fewer tabs than asked": float(short),
        "parts whose gaps are over 20 % uneven": float(uneven),
    }


def _sharp(path: Path) -> np.ndarray:
    """Return how far along a way places lie at which it turns by over 20 degrees within 5 mm."""
    points = flatten(path, 0.01)
    step = np.diff(points, axis=0)
    size = np.hypot(*step.T)
    at = np.concatenate([[0.0], np.cumsum(size)])
    way = np.unwrap(np.arctan2(step[:, 1], step[:, 0]))
    found = []
    for k in range(1, len(step)):
        back = np.searchsorted(at, at[k] - 2.5)
        ahead = min(np.searchsorted(at, at[k] + 2.5), len(step) - 1)
        if abs(way[ahead] - way[max(back, 0)]) > math.radians(20) + 5.0 / 15.0:
            found.append(at[k])
    return np.array(found)


# times


def stepped(steps: tuple[Motion, ...], machine: Machine) -> float:
    """Return how long motions take, walked in steps of a millisecond.

    At each step the fastest speed is taken from which every corner, bend and stop ahead can still
    be met with the machine's acceleration; no closed form of a profile is used.
    """
    a, tick, whole = machine.acceleration_mm_s2, 1e-3, 0.0
    run: list[tuple[np.ndarray, float]] = []

    def walk() -> float:
        if not run:
            return 0.0
        points = np.vstack([run[0][0][:1], *(p[1:] for p, _ in run)])
        feed = np.concatenate([np.full(len(p) - 1, f / 60) for p, f in run])
        step = np.diff(points, axis=0)
        size = np.linalg.norm(step, axis=1)
        keep = size > 1e-9
        step, size, feed = step[keep], size[keep], feed[keep]
        unit = step / size[:, None]
        cos = np.clip((unit[:-1] * unit[1:]).sum(axis=1), -1, 1)
        turn = np.arccos(cos)
        # short chords of an arc are a bend: speed by its radius; sharp joints by their round
        bend = (size[:-1] + size[1:]) / 2 / np.maximum(turn, 1e-12)
        half = np.cos(turn / 2)
        round_ = machine.corner_mm * half / np.maximum(1 - half, 1e-12)
        joint = np.sqrt(a * np.maximum(bend * (turn < 0.15), round_))
        limit = np.concatenate([[0.0], np.minimum(joint, np.minimum(feed[:-1], feed[1:])), [0.0]])
        at = np.concatenate([[0.0], np.cumsum(size)])
        # what may be gone at each place, looked at backward over a fine ruler
        ruler = np.linspace(0, at[-1], max(4000, int(at[-1] / 0.02)))
        top = feed[np.clip(np.searchsorted(at, ruler, "right") - 1, 0, len(feed) - 1)]
        near = np.clip(np.rint(at / at[-1] * (len(ruler) - 1)).astype(int), 0, len(ruler) - 1)
        np.minimum.at(top, near, limit)
        squares = top**2
        gap = ruler[1] - ruler[0]
        for k in range(len(ruler) - 2, -1, -1):
            squares[k] = min(squares[k], squares[k + 1] + 2 * a * gap)
        allowed = np.sqrt(squares)
        place, speed, spent = 0.0, 0.0, 0.0
        while place < at[-1] - 1e-6 and spent < 1e5:
            ahead = place + max(speed, a * tick) * tick
            can = float(allowed[min(int(ahead / gap) + 1, len(allowed) - 1)])
            speed = max(min(speed + a * tick, can), min(a * tick, 0.5))
            place += speed * tick
            spent += tick
        return spent

    first = True
    for one in steps:
        if one.kind == "cut":
            run.append((_fine(one), one.feed))
            continue
        whole += walk()
        run.clear()
        if one.kind in ("rapid", "plunge"):
            flat = np.column_stack([one.points[:, :2], np.zeros(2)])
            high = np.column_stack([np.zeros((2, 2)), one.points[:, 2]])
            spent = 0.0
            for points, speed in (
                (
                    (flat, machine.rapid_mm_min),
                    (high, machine.z_rapid_mm_min),
                )
                if one.kind == "rapid"
                else ((one.points, one.feed),)
            ):
                if np.abs(points[1] - points[0]).max() > 1e-9:
                    run.append((points, speed))
                    spent = max(spent, walk())
                    run.clear()
            whole += spent
        elif one.kind == "wait":
            whole += one.seconds
        elif one.kind == "tool":
            whole += 0.0 if first else machine.tool_change_seconds
            first = False
    return whole + walk()


def _fine(one: Motion) -> np.ndarray:
    """Return the places of a cut, its arcs as chords of three degrees, with their depths."""
    rows = [one.points[:1]]
    for a, b, bulge in zip(one.points[:-1], one.points[1:], one.bulges.tolist(), strict=True):
        count = max(1, math.ceil(abs(4 * math.atan(bulge)) / math.radians(3)))
        t = np.arange(1, count + 1) / count
        if not bulge:
            rows.append(a + t[:, None] * (b - a))
            continue
        sweep = 4 * math.atan(bulge)
        chord = b[:2] - a[:2]
        aside = np.array([-chord[1], chord[0]])
        centre = (a[:2] + b[:2]) / 2 + aside * (1 - bulge**2) / (4 * bulge)
        spoke = a[:2] - centre
        c, s = np.cos(sweep * t), np.sin(sweep * t)
        flat = centre + np.column_stack([c * spoke[0] - s * spoke[1], s * spoke[0] + c * spoke[1]])
        rows.append(np.column_stack([flat, a[2] + t * (b[2] - a[2])]))
    return np.vstack(rows)


def seconds(count: int = 20) -> dict[str, float]:
    """Return how far estimated times are from the walk in steps."""
    rng = np.random.default_rng(20)
    off = []
    for k in range(count):
        made: Plan = planned(job_of(plate(rng), ("plasma", "router")[k % 2]))
        steps = motions(made)
        told, walked = times(steps, made.machine).seconds, stepped(steps, made.machine)
        off.append(abs(told / walked - 1))
    return {"time off the walk, mean, %": 100 * float(np.mean(off)), "worst, %": 100 * max(off)}


def speed(count: int = 5000) -> dict[str, float]:
    """Return how long a plan of many loops takes, s; the second time, with everything loaded."""
    rng = np.random.default_rng(21)
    made = {}
    side = math.ceil(math.sqrt(count))
    sheets = {
        "holes": [circle_loop((20.0 * (k % side), 20.0 * (k // side)), 6) for k in range(count)],
        "shapes": [blob(rng, 20.0 * (k % side), 20.0 * (k // side), 13) for k in range(count)],
    }
    planned(job_of(plate(rng)))
    for name, loops in sheets.items():
        job = replace(job_of(loops), inspect=Limits("plasma", 3.0, 1.0))
        start = time.perf_counter()
        planned(job)
        made[f"{count:,} {name}, s"] = time.perf_counter() - start
    return made


def run(share: float = 1.0) -> dict[str, float]:
    """Return everything; `share` of the usual numbers."""

    def some(count: int) -> int:
        return max(2, round(count * share))

    rows = early(some(200)) | leads(some(100)) | pockets(some(60)) | groove_depths()
    rows |= tabs(some(500)) | seconds(some(20)) | speed(some(5000))
    try:
        rows |= order(some(20))
    except ImportError:
        print("ortools is not installed: the order is not held against a solver", file=sys.stderr)
    return rows


if __name__ == "__main__":
    for name, value in run(float(sys.argv[1]) if len(sys.argv) > 1 else 1.0).items():
        print(f"{name}: {value:.4f}")
