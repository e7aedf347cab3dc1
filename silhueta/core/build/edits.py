"""Edits of a job at Build. Contours are named by their keys; none named means all that is cut."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Literal

import numpy as np

from silhueta.core.build import place
from silhueta.core.build.foot import footed
from silhueta.core.build.lettering import lettered
from silhueta.core.build.sets import How, parted, put_together
from silhueta.core.build.shapes import PlateKind, corner_holes, negative, plate_round
from silhueta.core.errors import EditError
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.geometry.outline import Contour, Operation, Outline, in_common, repeated
from silhueta.core.geometry.path import Loop, Path
from silhueta.core.geometry.solids import solids
from silhueta.core.geometry.transform import about, transform
from silhueta.core.job import Job
from silhueta.core.words import Lettering, Words

Keys = Sequence[int]
_SCALES = 0.1, 100_000.0  # %, least and most
Align = Literal["centre", "left", "bottom", "space across", "space up"]


def solid_of(outline: Outline, key: int) -> tuple[int, ...]:
    """Return the keys of the piece that a contour belongs to: its outer loop and its holes.

    Of a mark, or of a path with two ends, that contour alone.
    """
    contour = next((c for c in outline.contours if c.key == key), None)
    if contour is None:
        return ()
    cut = [c for c in outline.contours if c.cut and c.colour == contour.colour]
    mine = [(c.key, c.path) for c in cut if isinstance(c.path, Loop)]
    for solid in solids([loop for _, loop in mine]):
        own = tuple(mine[k][0] for k in (solid.place, *solid.inside))
        if key in own:
            return own
    return (key,)


def grouped(job: Job, key: int) -> tuple[int, ...]:
    """Return what is chosen by a click on a contour: its group, else its words or solid piece."""
    own = _own(job, key)
    numbers = {c.group for c in job.outline.contours if c.key in own and c.group}
    if not numbers:
        return own
    more = (c.key for c in job.outline.contours if c.group in numbers and c.key not in own)
    return (*own, *more)


def _own(job: Job, key: int) -> tuple[int, ...]:
    for words in job.words:
        if key in words.keys:
            return words.keys
    return solid_of(job.outline, key)


def loops_of(job: Job, keys: Keys = ()) -> list[Loop]:
    """Return the loops that are cut among some contours, or of all.

    Raises
    ------
    EditError
        If there are none.

    """
    wanted = set(keys)
    found = [
        c.path
        for c in job.outline.contours
        if c.cut and isinstance(c.path, Loop) and (not wanted or c.key in wanted)
    ]
    if not found:
        raise EditError("there is no closed outline to build on; set words or a shape first")
    return found


def exchanged(job: Job, keys: Keys, loops: Sequence[Path]) -> Job:
    """Return the job with loops in place of some contours (of all loops that are cut: no keys).

    A contour whose path comes back as it is stays; the first new one takes the first key that went.
    What all that went had in common, colour, group or being mirrored, the new have too.
    """
    wanted = set(keys) or {c.key for c in job.outline.contours if c.cut and c.path.closed}
    stay = {id(path) for path in loops}
    gone = [c for c in job.outline.contours if c.key in wanted and id(c.path) not in stay]
    kept = [c for c in job.outline.contours if c not in gone]
    there = {id(c.path) for c in kept}
    fresh = [path for path in loops if id(path) not in there]
    spare = [c.key for c in gone]
    made = [
        replace(contour, key=spare[k] if k < len(spare) else 0)
        for k, contour in enumerate(in_common(gone, fresh) if fresh else [])
    ]
    if not kept and not made:
        raise EditError("nothing is left: the result is empty")
    return replace(job, outline=Outline((*kept, *made)))


def put(job: Job, paths: Sequence[Path], operation: Operation = "cut") -> Job:
    """Return the job with paths added to its outline."""
    made = tuple(Contour(path, operation=operation, origin="drawn") for path in paths)
    return replace(job, outline=Outline((*job.outline.contours, *made)))


def middle_of(job: Job) -> tuple[float, float]:
    """Return the middle of all that is worked, mm; (0, 0) where there is nothing."""
    if not job.outline.taken:
        return 0.0, 0.0
    left, bottom, right, top = job.outline.bounds
    return (left + right) / 2, (bottom + top) / 2


# words


def set_words(job: Job, lettering: Lettering, keys: Keys = ()) -> Job:
    """Return the job with words set: in place of those that `keys` belong to, else in the middle.

    Raises
    ------
    EditError, FileError
        As for `lettered`.

    """
    loops = lettered(lettering)
    old = next((words for words in job.words if set(keys) & set(words.keys)), None)
    middle = middle_of(job) if old is None else old.middle
    moved = place.centred_on(loops, middle)
    base = job
    if old is not None:
        kept = tuple(c for c in job.outline.contours if c.key not in old.keys)
        base = replace(job, outline=Outline(kept))
    made = put(base, moved)
    new = tuple(c.key for c in made.outline.contours[-len(moved) :])
    words = tuple(w for w in job.words if w is not old)
    if made.name == Job().name:
        made = replace(made, name=" ".join(lettering.text.split())[:40])
    return replace(made, words=(*words, Words(lettering, new, middle)))


# moved and copied


def changed(job: Job, keys: Keys, change: Callable[[Path], Path]) -> Job:
    """Return the job with a change of every path among some contours (or all of them)."""
    wanted = set(keys) or {c.key for c in job.outline.contours}
    contours = tuple(
        replace(c, path=change(c.path), origin="edited" if c.origin == "traced" else c.origin)
        if c.key in wanted
        else c
        for c in job.outline.contours
    )
    return replace(job, outline=Outline(contours))


def move(job: Job, keys: Keys, x: float, y: float) -> Job:
    """Return the job with some contours moved, mm; words among them stay words."""
    if x == y == 0:
        return job
    made = changed(job, keys, lambda path: transform(path, np.eye(2), (x, y)))
    wanted = set(keys)
    words = tuple(
        replace(w, middle=(w.middle[0] + x, w.middle[1] + y))
        if not wanted or wanted >= set(w.keys)
        else w
        for w in job.words
    )
    return replace(made, words=words)


def turn(job: Job, keys: Keys, degrees: float) -> Job:
    """Return the job with some contours turned about the middle of their box."""
    if degrees % 360 == 0:
        return job
    angle = np.radians(degrees)
    matrix = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    return _about(job, keys, matrix)


def mirror(job: Job, keys: Keys, axis: str) -> Job:
    """Return the job with some contours mirrored in their box; x: left and right exchanged."""
    made = _about(job, keys, np.diag([-1.0, 1.0] if axis == "x" else [1.0, -1.0]))
    return _with(made, keys, lambda c: replace(c, mirrored=not c.mirrored))


def scale(job: Job, keys: Keys, percent: float) -> Job:
    """Return the job with some contours at so many percent of their size, about their middle.

    Words that are scaled as a whole stay words, of another cap height.

    Raises
    ------
    EditError
        If the size makes no sense.

    """
    least, most = _SCALES
    if not least <= percent <= most:
        raise EditError(f"pieces can be scaled from {least:g} to {most:,.0f} %, not {percent:g} %")
    if percent == 100:
        return job
    factor = percent / 100
    wanted = set(keys)
    made = _about(job, keys, factor * np.eye(2))
    words = tuple(
        replace(w, lettering=_larger(w.lettering, factor))
        if not wanted or wanted >= set(w.keys)
        else w
        for w in job.words
    )
    return replace(made, words=words)


def scale_to_width(job: Job, keys: Keys, width: float) -> Job:
    """Return the job with some contours scaled, about their middle, until they are so wide, mm."""
    chosen = keys or [c.key for c in _worked(job, ())]
    if not chosen:
        raise EditError("there is nothing to scale")
    left, _, right, _ = _box(job, chosen)
    if right - left <= 0:
        raise EditError("what is upright has no width; scale it by percent")
    return scale(job, keys, 100 * width / (right - left))


def _larger(lettering: Lettering, factor: float) -> Lettering:
    return replace(
        lettering,
        cap_height=factor * lettering.cap_height,
        spacing=factor * lettering.spacing,
        arc=factor * lettering.arc,
    )


def group(job: Job, keys: Keys) -> Job:
    """Return the job with some contours as one group: chosen and moved together from now on.

    Raises
    ------
    EditError
        If there are not two pieces to put together.

    """
    if len({_own(job, key) for key in keys}) < 2:
        raise EditError("choose two pieces or more on the table first")
    number = 1 + max(c.group for c in job.outline.contours)
    return _with(job, keys, lambda c: replace(c, group=number))


def ungroup(job: Job, keys: Keys) -> Job:
    """Return the job with some contours (or all) in no group any more."""
    wanted = set(keys)
    if not any(c.group for c in job.outline.contours if not wanted or c.key in wanted):
        return job
    return _with(job, keys, lambda c: replace(c, group=0) if c.group else c)


def _with(job: Job, keys: Keys, change: Callable[[Contour], Contour]) -> Job:
    wanted = set(keys)
    contours = tuple(
        change(c) if not wanted or c.key in wanted else c for c in job.outline.contours
    )
    return replace(job, outline=Outline(contours))


def _about(job: Job, keys: Keys, matrix: np.ndarray) -> Job:
    wanted = set(keys)
    paths = [c.path for c in job.outline.contours if not wanted or c.key in wanted]
    if not paths:
        raise EditError("there is nothing to turn yet")
    left, bottom, right, top = bounding_box(paths)
    middle = ((left + right) / 2, (bottom + top) / 2)
    return changed(job, keys, lambda path: about(path, matrix, middle))


def copies(job: Job, keys: Keys, across: int, up: int, gap: float) -> Job:
    """Return the job with some contours in rows and columns."""
    chosen = _worked(job, keys)
    return _repeated(job, chosen, place.copied([c.path for c in chosen], across, up, gap))


def copies_round(job: Job, keys: Keys, count: int, centre: tuple[float, float]) -> Job:
    """Return the job with some contours so many times evenly round a centre."""
    chosen = _worked(job, keys)
    return _repeated(job, chosen, place.copied_round([c.path for c in chosen], count, centre))


def mirrored_pair(job: Job, keys: Keys, gap: float) -> Job:
    """Return the job with a mirrored copy of some contours to the right of them, mm apart."""
    chosen = _worked(job, keys)
    if not chosen:
        raise EditError("there is nothing to mirror yet")
    paths = [c.path for c in chosen]
    left, _, right, _ = bounding_box(paths)
    other = place.moved(place.mirrored(paths, "x"), right - left + gap, 0.0)
    turned = [replace(c, mirrored=not c.mirrored) for c in chosen]
    return _repeated(job, turned, [*paths, *other])


def _worked(job: Job, keys: Keys) -> list[Contour]:
    """Return what is cut, engraved or marked among some contours, or of all."""
    wanted = set(keys)
    return [c for c in job.outline.contours if c.taken and (not wanted or c.key in wanted)]


def _repeated(job: Job, chosen: Sequence[Contour], paths: Sequence[Path]) -> Job:
    """Return the job with copies of contours, whose paths are those after the first round."""
    if len(paths) <= len(chosen):
        return job
    last = max((c.group for c in job.outline.contours), default=0)
    made = repeated(chosen, paths, last)[len(chosen) :]
    return replace(job, outline=Outline((*job.outline.contours, *made)))


def align(job: Job, groups: Sequence[Keys], how: Align) -> Job:
    """Return the job with chosen pieces in line with the first one, or evenly spaced.

    Raises
    ------
    EditError
        If too few are chosen.

    """
    least = 3 if how in ("space across", "space up") else 2
    if len(groups) < least:
        raise EditError(f"choose {'three' if least == 3 else 'two'} pieces on the table first")
    boxes = np.array([_box(job, keys) for keys in groups])
    middles = (boxes[:, :2] + boxes[:, 2:]) / 2
    shifts = np.zeros((len(groups), 2))
    if how == "centre":
        shifts = middles[0] - middles
    elif how in ("left", "bottom"):
        axis = 0 if how == "left" else 1
        shifts[:, axis] = boxes[0, axis] - boxes[:, axis]
    else:
        axis = 0 if how == "space across" else 1
        order = np.argsort(middles[:, axis])
        sizes = boxes[order, 2 + axis] - boxes[order, axis]
        room = boxes[:, 2 + axis].max() - boxes[:, axis].min() - sizes.sum()
        starts = boxes[:, axis].min() + np.cumsum(sizes + room / (len(groups) - 1)) - sizes
        starts -= room / (len(groups) - 1)
        shifts[order, axis] = starts - boxes[order, axis]
    for keys, (x, y) in zip(groups, shifts.tolist(), strict=True):
        job = move(job, keys, x, y)
    return job


def _box(job: Job, keys: Keys) -> tuple[float, float, float, float]:
    wanted = set(keys)
    return bounding_box([c.path for c in job.outline.contours if c.key in wanted])


def part_at(job: Job, keys: Keys, at: tuple[float, float], degrees: float) -> Job:
    """Return the job with some loops parted along a line through a place; 0: level, 90: upright."""
    turn = np.radians(degrees)
    along, up = float(np.cos(turn)), float(np.sin(turn))
    if degrees % 90 == 0:
        along, up = round(along), round(up)
    one, two = parted(loops_of(job, keys), at, (at[0] + along, at[1] + up))
    return exchanged(job, keys, [*one, *two])


def with_foot(
    job: Job, keys: Keys, at: tuple[float, float], length: float, depth: float, relief: float
) -> Job:
    """Return the job with a foot on the straight edge nearest to a place."""
    loops = [loop for solid in solids(loops_of(job, keys)) for loop in (solid.outer, *solid.holes)]
    return exchanged(job, keys, footed(loops, at, length, depth, relief))


# put together


def combine(job: Job, how: How, groups: Sequence[Keys]) -> Job:
    """Return the job with a set operation of chosen pieces, the first of which is the base.

    Raises
    ------
    EditError
        If fewer than two are chosen, or nothing is left.

    """
    if len(groups) < 2:
        raise EditError("choose two pieces on the table first; the first one is the base")
    loops = [loops_of(job, keys) for keys in groups]
    return exchanged(job, [key for keys in groups for key in keys], put_together(how, loops))


def remade(job: Job, keys: Keys, make: Callable[[list[Loop]], Sequence[Loop]]) -> Job:
    """Return the job with what `make` makes of some loops (or of all) in their place."""
    made = list(make(loops_of(job, keys)))
    if not made:
        raise EditError("nothing is left: the result is empty")
    return exchanged(job, keys, made)


def plate(
    job: Job,
    kind: PlateKind,
    size: tuple[float, float] | None,
    radius: float,
    margin: float,
    holes: float | None = None,
    cut_out: bool = False,
) -> Job:
    """Return the job with a plate round all that is cut.

    Parameters
    ----------
    holes : float or None, mm
        Diameter of four holes near its corners.
    cut_out : bool
        What is there is cut out of the plate: what goes and what stays exchanged.

    Raises
    ------
    EditError
        If the plate is too small, or a word lies where a hole is to be.

    """
    loops = loops_of(job)
    made = plate_round(loops, kind, size, radius, margin)
    bores = corner_holes(made[0], holes, max(margin / 2, 1.0)) if holes else []
    if cut_out:
        return exchanged(job, (), [*negative(loops, made), *bores])
    return put(job, [*made, *bores])


def set_aside(job: Job, keys: Keys) -> Job:
    """Return the job with a spare copy of some contours, skipped: it stays, and is not cut."""
    wanted = set(keys)
    spare = tuple(
        replace(c, taken=False, chosen=True, key=0)
        for c in job.outline.contours
        if c.taken and (not wanted or c.key in wanted)
    )
    if not spare:
        raise EditError("there is nothing to set a copy of aside yet")
    return replace(job, outline=Outline((*job.outline.contours, *spare)))
