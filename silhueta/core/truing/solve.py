"""Moving an outline as little as may be, so that what is to hold does hold.

Least squares over the points of the present edges, with the relations as equations that must be 0:
Newton's steps on both together (sequential quadratic programming: J. Nocedal and S. J. Wright,
"Numerical Optimization", 2nd edition 2006, chapter 18, with the Gauss-Newton matrix). Relations
that say the same twice are let be by a small term on their multipliers; such that contradict each
other leave something over, and the first of the list that does is named.
"""

from __future__ import annotations

from collections.abc import Collection
from typing import Any, NamedTuple

import numpy as np

from silhueta.core.errors import TruingError
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import Floats
from silhueta.core.relations import Relation
from silhueta.core.truing.system import Group, Node, System, jacobian

EXACT = 1e-8  # mm, that relations may be off by
_STEPS = 40
_STILL = 1e-5  # mm
_DAMP, _SLOWER = 1e-3, 0.7  # of the mean weight, and of the step before, from which it is used
_LAST, _EXACTER = 12, 1e-11  # steps that only make the relations hold, mm
_HOLD = 1e-4  # of a node's weight, that holds it where nothing else does
_EASE = 1e-11  # on the multipliers
_LEAST = 0.05  # of its length, that an edge keeps at least
_LONGEST = 0.2  # of the outline's size, that a step may move anything
_REFITS = 3  # steps in which an axis or a pitch is fitted to what is there


class Solved(NamedTuple):
    """An outline for which all relations hold, and how far its nodes have moved, mm."""

    outline: Outline
    moved: float


def solve(outline: Outline, relations: list[Relation], firm: Collection[Node] = ()) -> Solved:
    """Return the outline nearest to the given one for which all relations hold.

    Parameters
    ----------
    outline : Outline
        Each contour with its key.
    relations : list of Relation
        What comes first counts more: of two that contradict each other the later is the culprit.
    firm : collection of (key, number)
        Nodes that stay where they are as well as may be: all else follows.

    Raises
    ------
    TruingError
        If they cannot hold together; `relation` is the culprit's place in the list.

    """
    if not relations:
        return Solved(outline, 0.0)
    found = _settled(outline, relations, firm)
    if found is not None:
        return found
    # the shortest beginning of the list that cannot hold ends with the culprit
    good, bad = 0, len(relations)
    while bad - good > 1:
        middle = (good + bad) // 2
        if _settled(outline, relations[:middle]) is None:
            bad = middle
        else:
            good = middle
    raise TruingError(
        f"{relations[bad - 1].kind} cannot hold together with what came before it", bad - 1
    )


def _settled(
    outline: Outline, relations: list[Relation], firm: Collection[Node] = ()
) -> Solved | None:
    """Return the outline with all relations, or None where they cannot hold together."""
    with np.errstate(all="ignore"):  # where edges shrink to nothing, nothing can hold
        return _found(outline, relations, firm)


def _found(outline: Outline, relations: list[Relation], firm: Collection[Node]) -> Solved | None:
    system = System(outline, relations, firm)
    values = system.start.copy()
    scales = system.scales()
    left, bottom, right, top = outline.bounds
    longest = _LONGEST * float(np.hypot(right - left, top - bottom))
    damp, before = 0.0, np.inf
    for _ in range(_STEPS):
        step, off = _step(system, values, scales, damp)
        if step is None:
            return None
        far = float(np.abs(step).max(initial=0.0))
        values = values + min(1.0, longest / max(far, 1e-300)) * step / scales
        if not np.isfinite(values).all():
            return None
        if far < _STILL and off < EXACT:
            break
        # along what hardly matters, steps go to and fro: hold them there
        damp = max(4 * damp, _DAMP) if far > _SLOWER * before else damp
        before = far
    for _ in range(_LAST):
        step, off = _step(system, values, scales, None)
        if step is None or not np.isfinite(values).all():
            return None
        if off < _EXACTER:
            break
        values = values + step / scales
    if not _left_over(system.groups, values) <= EXACT:
        return None
    try:
        made = system.made(values)
    except (TruingError, ValueError):
        return None
    if _shrunk(outline, made):
        return None
    moved = float(np.abs((values - system.start) * scales).max(initial=0.0))
    return Solved(made, moved)


def _shrunk(before: Outline, after: Outline) -> bool:
    """Return whether an edge has all but vanished, where anything holds."""
    for one, two in zip(before.contours, after.contours, strict=True):
        if one is not two:
            was, now = (np.hypot(*(c.path.ends - c.path.starts).T) for c in (one, two))
            # arcs that have become one circle are two halves, and have no edge that could vanish
            if len(now) == len(was) and (now < _LEAST * was).any():
                return True
    return False


def _left_over(groups: list[Group], values: Floats) -> float:
    return max(
        (float(np.abs(g.function(values[g.columns], g.values)).max(initial=0.0)) for g in groups),
        default=0.0,
    )


def _step(
    system: System, values: Floats, scales: Floats, damp: float | None
) -> tuple[Floats | None, float]:
    """Return the step of all variables, mm, and by how much the relations are off, mm.

    `damp` holds what hardly matters, as a share of the mean weight. None: the shortest step that
    makes the relations hold, wherever the edges are.
    """
    from scipy.sparse import bmat, coo_matrix, diags, identity
    from scipy.sparse.linalg import splu

    n = len(values)
    matrices, rights = [], []
    for groups in (system.edges, system.groups):
        rows, columns, slopes, left = [], [], [], []
        count = 0
        for group in groups:
            at, slope = jacobian(group, values)
            many, each, wide = slope.shape
            index = count + np.arange(many * each).reshape(many, each)
            rows.append(np.repeat(index[:, :, None], wide, axis=2).ravel())
            columns.append(np.repeat(group.columns[:, None, :], each, axis=1).ravel())
            slopes.append((slope / scales[group.columns][:, None, :]).ravel())
            left.append(at.ravel())
            count += many * each
        right = np.concatenate(left) if left else np.zeros(0)
        matrix = coo_matrix(
            (np.concatenate(slopes), (np.concatenate(rows), np.concatenate(columns))), (count, n)
        ).tocsr()
        matrices.append(matrix)
        rights.append(right)
    (edge, relation), (off, left_over) = matrices, rights
    normal = edge.T @ edge
    weight = max(float(normal.diagonal().mean()), 1e-12)
    held: Any = normal + (_HOLD + (damp or 0.0)) * weight * identity(n)
    if damp is None:
        held, off, weight = identity(n), np.zeros_like(off), 1.0
    blocks: Any = [
        [held, relation.T],
        [relation, diags(np.full(relation.shape[0], -_EASE / weight))],
    ]
    whole: Any = bmat(blocks).tocsc()
    hold = _HOLD * weight * (values - system.start) * scales
    pull = np.zeros(n) if damp is None else edge.T @ off + hold
    right = -np.concatenate([pull, left_over])
    try:
        found = splu(whole).solve(right)
    except RuntimeError:
        return None, np.inf
    return found[:n], float(np.abs(left_over).max(initial=0.0))


def residuals(outline: Outline, relations: list[Relation]) -> list[float]:
    """Return by how much each relation is off in an outline, mm."""
    system = System(outline, relations)
    values = _with_extras(system)
    off = [0.0] * len(relations)
    for group in system.groups:
        at = np.abs(group.function(values[group.columns], group.values)).max(axis=1)
        for number, value in zip(group.relation.tolist(), at.tolist(), strict=True):
            off[number] = max(off[number], value)
    return off


def _with_extras(system: System) -> Floats:
    """Return the variables as they are, with an axis or a pitch where it suits them best."""
    values = system.start.copy()
    extras = len(values) - system.own
    if not extras:
        return values
    for _ in range(_REFITS):
        rows, left = [], []
        for group in system.groups:
            at, slope = jacobian(group, values)
            columns = group.columns - system.own
            some = (columns >= 0).any(axis=1)
            if not some.any():
                continue
            row = np.zeros((int(some.sum()), at.shape[1], extras))
            for k, (places, slopes) in enumerate(zip(columns[some], slope[some], strict=True)):
                mine = places >= 0
                row[k][:, places[mine]] = slopes[:, mine]
            rows.append(row.reshape(-1, extras))
            left.append(at[some].ravel())
        step = np.linalg.lstsq(np.vstack(rows), -np.concatenate(left), rcond=None)[0]
        values[system.own :] += step
    return values
