"""Holes of one size that were laid out together: evenly on a circle, in a row or in a grid."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Literal

import numpy as np

from silhueta.core.geometry.path import Floats
from silhueta.core.relations import Relation
from silhueta.core.truing.features import Feature
from silhueta.core.truing.offer import BEFORE, TruingOffer
from silhueta.core.wording import counted

_MOST_HOLES = 200  # that patterns are sought among
_NUMBERS = 4  # of a pattern: a place (x, y), and a radius and an angle, or a step (x, y)
_GRID_NUMBERS = 5  # a second step besides, square to the first


def patterns(found: list[Feature], circles: list[int]) -> Iterator[TruingOffer]:
    """Yield holes of one size that lie evenly on a circle, in a row or in a grid."""
    if len(circles) > _MOST_HOLES:
        return
    groups: list[list[int]] = []
    for i in sorted(circles, key=lambda i: found[i].size):
        near_ = groups[-1][-1] if groups else None
        sigma = 3 * math.hypot(found[i].sigma, found[near_].sigma) if near_ is not None else 0.0
        if near_ is not None and found[i].size - found[near_].size < max(sigma, 0.02):
            groups[-1].append(i)
        else:
            groups.append([i])
    for group in groups:
        offer = _on_circle(found, group) or _in_row(found, group) or _in_grid(found, group)
        if offer is not None:
            yield offer


def _on_circle(found: list[Feature], group: list[int]) -> TruingOffer | None:
    count = len(group)
    if count < 3:
        return None
    centres = np.array([found[i].centre for i in group])
    middle = centres.mean(axis=0)
    away = centres - middle
    radii = np.hypot(*away.T)
    order = np.argsort(np.arctan2(away[:, 1], away[:, 0]))
    turns = 2 * np.pi * np.arange(count) / count
    angle = np.arctan2(away[order, 1], away[order, 0])
    first = np.angle(np.exp(1j * (angle - turns)).mean())
    radius = float(radii.mean())
    ideal = middle + radius * np.column_stack([np.cos(first + turns), np.sin(first + turns)])
    text = f"lie evenly on a circle of {2 * radius:.2f} mm"
    ordered = [group[i] for i in order]
    return _laid_out(found, ordered, ideal, radius, ("evenly on a circle", text))


def _in_row(found: list[Feature], group: list[int]) -> TruingOffer | None:
    count = len(group)
    if count < 3:
        return None
    centres = np.array([found[i].centre for i in group])
    away = centres - centres.mean(axis=0)
    way = np.linalg.svd(away)[2][0]
    order = np.argsort(away @ way)
    places = np.arange(count) - (count - 1) / 2
    step = places @ centres[order] / (places @ places)
    ideal = centres.mean(axis=0) + places[:, None] * step
    apart = float(np.hypot(*step))
    text = f"stand in a row, {apart:.2f} mm apart"
    return _laid_out(found, [group[i] for i in order], ideal, apart, ("in a row", text))


def _in_grid(found: list[Feature], group: list[int]) -> TruingOffer | None:
    """Return holes in rows and columns: the first step is told by the nearest pair."""
    count = len(group)
    if count < 4:
        return None
    centres = np.array([found[i].centre for i in group])
    apart = np.hypot(*(centres[:, None] - centres[None]).transpose(2, 0, 1))
    np.fill_diagonal(apart, np.inf)
    one, two = np.unravel_index(int(apart.argmin()), apart.shape)
    way = (centres[two] - centres[one]) / apart[one, two]
    if abs(way[0]) < abs(way[1]):  # rows run across, as one reads
        way = np.array([way[1], -way[0]])
    way = way * np.sign(way[0])
    local = centres @ np.column_stack([way, (-way[1], way[0])])
    columns, rows = (_ranks(local[:, k], float(apart.min()) / 3) for k in range(2))
    wide, high = int(columns.max()) + 1, int(rows.max()) + 1
    taken = {*zip(columns.tolist(), rows.tolist(), strict=True)}
    if wide < 2 or high < 2 or wide * high != count or len(taken) != count:
        return None
    # least squares for a place and two steps square to each other, the way as it turns out
    m, n = columns - columns.mean(), rows - rows.mean()
    step, up = m @ centres / (m @ m), n @ centres / (n @ n)
    turned = np.array([up[1], -up[0]])
    way = step * (m @ m) / np.hypot(*step) + turned * (n @ n) / np.hypot(*turned)
    way /= np.hypot(*way)
    square = np.array([-way[1], way[0]])
    across, along = float(step @ way), float(up @ square)
    ideal = centres.mean(axis=0) + np.outer(m * across, way) + np.outer(n * along, square)
    order = np.lexsort([columns, rows])
    text = f"stand in a grid of {wide} by {high}, {across:.2f} and {along:.2f} mm apart"
    return _laid_out(
        found, [group[i] for i in order], ideal[order], across, ("in a grid", text), float(wide)
    )


def _ranks(values: Floats, step: float) -> Floats:
    """Return which row each value is in, (N,): those less than a step apart share one."""
    order = np.argsort(values)
    ranks = np.zeros(len(values))
    ranks[order[1:]] = np.cumsum(np.diff(values[order]) > step)
    return ranks


def _laid_out(
    found: list[Feature],
    ordered: list[int],
    ideal: Floats,
    spread: float,
    told: tuple[Literal["evenly on a circle", "in a row", "in a grid"], str],
    value: float | None = None,
) -> TruingOffer | None:
    """Return the offer of holes near their `ideal` places (N, 2), mm; None where it is unlikely."""
    holes = [found[i] for i in ordered]
    off = np.hypot(*(np.array([hole.centre for hole in holes]) - ideal).T)
    numbers = _NUMBERS if value is None else _GRID_NUMBERS
    share = _pattern_share(off, holes, spread, numbers)
    if share < 0.5:
        return None
    kind, text = told
    x, y = ideal.mean(axis=0).tolist()
    return TruingOffer(
        kind,
        (Relation(kind, tuple(hole.ref for hole in holes), value),),
        share,
        f"{counted(len(holes), 'hole')} {text}, within {off.max():.2f} mm",
        (x, y),
        tuple(ordered),
    )


def _pattern_share(off: Floats, holes: list[Feature], spread: float, numbers: int) -> float:
    """Return the probability that holes so far from a pattern's places were laid out by it.

    A pattern has a few numbers of its own, which the holes tell: the rest of their coordinates must
    agree, each of which could be anywhere within the spread.
    """
    before = BEFORE["in a row"]
    log = math.log(before / (1 - before))
    sigma = np.array([max(hole.offset_sigma, 1e-6) for hole in holes])
    told = 2 * len(holes) - numbers
    if told <= 0:
        return 0.0
    typical = float(np.exp(np.log(sigma).mean()))
    log -= 0.5 * float(((off / sigma) ** 2).sum())
    log += told * math.log(2 * spread / (typical * math.sqrt(2 * math.pi)))
    # a chance fit is likely only to so many uncertainties: beyond, no number of holes helps
    if float(((off / sigma) ** 2).sum()) > told + 4 * math.sqrt(2 * told) + 4:
        return 0.0
    return 1 / (1 + math.exp(-min(max(log, -50.0), 50.0)))
