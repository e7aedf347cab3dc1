"""Holes of one size that were laid out together: evenly on a circle, or in a row."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from silhueta.core.relations import Relation
from silhueta.core.truing.features import Feature
from silhueta.core.truing.offer import BEFORE, TruingOffer
from silhueta.core.wording import counted

_MOST_HOLES = 200  # that patterns are sought among


def patterns(found: list[Feature], circles: list[int]) -> Iterator[TruingOffer]:
    """Yield holes of one size that lie evenly on a circle, or in a row."""
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
        offer = _on_circle(found, group) or _in_row(found, group)
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
    off = np.hypot(*(centres[order] - ideal).T)
    share = _pattern_share(off, [found[group[i]] for i in order], radius, 4)
    if share < 0.5:
        return None
    ordered = [group[i] for i in order]
    return TruingOffer(
        "evenly on a circle",
        (Relation("evenly on a circle", tuple(found[i].ref for i in ordered)),),
        share,
        f"{counted(count, 'hole')} lie evenly on a circle of {2 * radius:.2f} mm, within "
        f"{off.max():.2f} mm",
        (float(middle[0]), float(middle[1])),
        tuple(ordered),
    )


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
    off = np.hypot(*(centres[order] - ideal).T)
    share = _pattern_share(off, [found[group[i]] for i in order], float(np.hypot(*step)), 4)
    if share < 0.5:
        return None
    ordered = [group[i] for i in order]
    return TruingOffer(
        "in a row",
        (Relation("in a row", tuple(found[i].ref for i in ordered)),),
        share,
        f"{counted(count, 'hole')} stand in a row, {float(np.hypot(*step)):.2f} mm apart, within "
        f"{off.max():.2f} mm",
        found[ordered[0]].centre,
        tuple(ordered),
    )


def _pattern_share(off: np.ndarray, holes: list[Feature], spread: float, numbers: int) -> float:
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
