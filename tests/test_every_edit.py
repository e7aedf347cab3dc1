"""Random runs of all edits: what was not meant to change has its operation, colour, group, lock.

SILHUETA_RUNS says how many runs there are of each room's edits; 2,000 for a long one.
"""

import os
from dataclasses import replace

import numpy as np
import pytest

from silhueta.core.build import edits as build
from silhueta.core.errors import SilhuetaError
from silhueta.core.geometry.outline import Contour, Outline, keyed
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Loop, OpenPath, circle_loop
from silhueta.core.geometry.pieces import Place
from silhueta.core.job import Job
from silhueta.core.relations import WHOLE, Ref
from silhueta.core.tidy import choose, node_edits
from silhueta.core.tidy.offers.kinds import KINDS, find_offer, take, take_all
from silhueta.core.tidy.offers.offer import Limits
from silhueta.core.tidy.redo import add_drawn, redo_stretch
from silhueta.core.tidy.resize import resized
from silhueta.core.truing import by_hand, edits, straight, stretch
from silhueta.core.truing.features import Noise
from silhueta.core.truing.refs import followed
from silhueta.core.work import Work
from tests.conftest import hole, square

RUNS = int(os.environ.get("SILHUETA_RUNS", "25"))
NOISE = Noise(0.02, 0.5, 0.01)


def plate():
    """Loops and lines of every kind: cut, engraved, marked, skipped, coloured, grouped, locked."""
    slot = Loop(
        np.array([[70, 10], [90, 10], [90, 18], [70, 18.0]]),
        np.array([LINE, ARC, LINE, ARC], np.uint8),
        np.array([0, 1, 0, 1.0]),
    )
    zigzag = np.array([[70, 40], [80, 44.0], [90, 40.2], [100, 44.0]])
    contours = (
        Contour(square(120), colour=(20, 52, 77), group=1),
        Contour(hole(circle_loop((20, 20), 6)), colour=(20, 52, 77), group=1),
        Contour(circle_loop((50, 30), 8), operation="engrave", group=2),
        Contour(hole(square(10, (20, 60))), operation="mark", locked=True),
        Contour(hole(slot), mirrored=True),
        Contour(OpenPath(zigzag), operation="mark", colour=(200, 0, 0)),
        Contour(OpenPath(zigzag + [0, 20]), operation="engrave", group=2),
        Contour(square(14, (90.3, 90.2)), taken=False, chosen=True),
        Contour(hole(circle_loop((50, 90), 0.4)), operation="mark"),  # as small as a speck
    )
    return Job(outline=keyed(Outline(contours), 0)[0])


def state(contour):
    """What a contour is, besides its path and its key."""
    c = contour
    return c.operation, c.colour, c.locked, c.taken, bool(c.group), c.mirrored


def picked(job, rng, open_=None):
    """A contour, and a segment of it."""
    some = [
        i
        for i, c in enumerate(job.outline.contours)
        if open_ is None or isinstance(c.path, OpenPath) == open_
    ]
    i = int(rng.choice(some))
    return i, int(rng.integers(len(job.outline.contours[i].path.kinds)))


def ref(job, rng):
    i, segment = picked(job, rng)
    contour = job.outline.contours[i]
    path = contour.path
    whole = path.closed and len(path.kinds) == 2 and (path.kinds == ARC).all()
    x, y = ((path.starts[segment] + path.ends[segment]) / 2).tolist()
    return Ref(contour.key, WHOLE if whole else segment, (x, y))


def refs(job, rng, many):
    return [ref(job, rng) for _ in range(many)]


def offered(kind, frame=(0.0, 0.0, 120.0, 120.0)):
    def taken(job, rng):
        offer = find_offer(job.outline, kind, Limits(), frame)
        return replace(job, outline=take(offer, offer.items))

    return taken


def near(job, rng):
    """A stretch drawn beside a contour."""
    i, segment = picked(job, rng)
    path = job.outline.contours[i].path
    a, b = path.starts[segment], path.ends[segment]
    return i, OpenPath(np.array([a + 0.2 * (b - a), a + 0.5 * (b - a) + 0.3, a + 0.8 * (b - a)]))


TIDY = {
    "move": lambda j, r: node_edits.move(j, [picked(j, r)], *r.normal(0, 1, 2)),
    "delete": lambda j, r: node_edits.delete(j, [picked(j, r)]),
    "add": lambda j, r: node_edits.add(j, (p := picked(j, r))[0], Place(p[1], 0.4)),
    "halve": lambda j, r: node_edits.halve(j, [picked(j, r)]),
    "crossings": lambda j, r: node_edits.add_at_crossings(j, [picked(j, r)[0]]),
    "line": lambda j, r: node_edits.set_kind(j, [picked(j, r)], LINE),
    "arc": lambda j, r: node_edits.set_kind(j, [picked(j, r)], ARC),
    "curve": lambda j, r: node_edits.set_kind(j, [picked(j, r)], CUBIC),
    "bend": lambda j, r: node_edits.bend(j, *picked(j, r), tuple(r.uniform(0, 120, 2))),
    "smooth": lambda j, r: node_edits.smooth(j, [picked(j, r)]),
    "sharp": lambda j, r: node_edits.sharp(j, [picked(j, r)]),
    "break": lambda j, r: node_edits.break_at(j, picked(j, r)),
    "drop": lambda j, r: node_edits.drop_segment(j, picked(j, r)),
    "turn": lambda j, r: node_edits.turn(j, [picked(j, r)[0]]),
    "start": lambda j, r: node_edits.start(j, picked(j, r)),
    "join": lambda j, r: node_edits.join(
        j, (picked(j, r, True)[0], 0), (picked(j, r, True)[0], 3), merge=False
    ),
    "draw": lambda j, r: add_drawn(j, OpenPath(r.uniform(0, 120, (3, 2)))),
    "redo": lambda j, r: redo_stretch(j, *near(j, r)),
    "swap": lambda j, r: choose.swap(j),
    "largest": lambda j, r: choose.keep_largest(j),
    "resize": lambda j, r: resized(j, "width", 100.0),
    **{kind: offered(kind) for kind in KINDS},
    "all": lambda j, r: replace(j, outline=take_all(j.outline, Limits()).outline),
}
TRUE = {
    **{
        kind: lambda j, r, kind=kind: by_hand.relate(j, kind, refs(j, r, 1))
        for kind in ("level", "plumb")
    },
    **{
        kind: lambda j, r, kind=kind: by_hand.relate(j, kind, refs(j, r, 2))
        for kind in ("parallel", "perpendicular", "equal radius", "concentric", "equal length")
    },
    "radius": lambda j, r: by_hand.relate(j, "radius", refs(j, r, 1), 5.5),
    "rounded": lambda j, r: by_hand.corner_cut(j, refs(j, r, 2), 1.5, True),
    "chamfer": lambda j, r: by_hand.corner_cut(j, refs(j, r, 2), 1.5, False),
    "straight": lambda j, r: straight.straightened(j, refs(j, r, 2)),
    "stretch": lambda j, r: stretch.stretched(j, 1.02, 0.99),
    "one edge": lambda j, r: edits.with_edge(j, *picked(j, r, False), 2),
    "level all": lambda j, r: edits.level(j, NOISE),
    "again": lambda j, r: edits.hold_again(j),
    "offers": lambda j, r: edits.take_all(j, 0.5, NOISE, "mm", Work())[0],
}
BUILD = {
    "place": lambda j, r: build.move(j, some(j, r), *r.normal(0, 5, 2)),
    "turned": lambda j, r: build.turn(j, some(j, r), 30.0),
    "scaled": lambda j, r: build.scale(j, (), 103.0),
    "copies": lambda j, r: build.copies(j, some(j, r), 2, 1, 5.0),
    "round": lambda j, r: build.copies_round(j, some(j, r), 3, (200.0, 0.0)),
}
MAY_CHANGE = {"swap": 3, "largest": 3, "frame": 3, "all": 3}  # the part of the state meant
FRESH = ("cut", None, False, True, False, False)  # of what was drawn


def some(job, rng):
    return (job.outline.contours[picked(job, rng)[0]].key,)


def strange(before, after, name):
    """What is not as it was: contours whose state no edit was to change."""
    old = {c.key: c for c in before.outline.contours}
    gone = [
        c for c in before.outline.contours if c.key not in {k.key for k in after.outline.contours}
    ]
    touched = {state(c) for c in gone} | {
        state(old[c.key])
        for c in after.outline.contours
        if c.key in old and c.path is not old[c.key].path
    }
    if name in ("copies", "round"):
        touched |= {state(c) for c in before.outline.contours}
    if name == "draw":
        touched.add(FRESH)
    wrong = []
    for c in after.outline.contours:
        if c.key in old:
            was, now = list(state(old[c.key])), list(state(c))
            if name in MAY_CHANGE:
                was[MAY_CHANGE[name]] = now[MAY_CHANGE[name]]
            if name == "join":  # the other end's state may differ: refused, or its own
                continue
            if was != now:
                wrong.append((was, now))
        elif state(c) not in touched:
            wrong.append((None, state(c)))
    if name not in {"delete", "drop", "join", *KINDS, "all"} and len(gone):
        wrong.append(("gone", [state(c) for c in gone]))
    locked = {c.key: c.path for c in before.outline.contours if c.locked}
    now = {c.key: c.path for c in after.outline.contours}
    if name in TIDY and name != "resize":
        wrong += [("locked", key) for key, path in locked.items() if now.get(key) is not path]
    return wrong


@pytest.mark.parametrize(
    "room", [TIDY, TRUE, {**TIDY, **TRUE, **BUILD}], ids=["tidy", "true", "all"]
)
def test_random_edits_change_only_what_they_are_there_to_change(room):
    done = dict.fromkeys(room, 0)
    for number in range(RUNS):
        rng = np.random.default_rng(number)
        job = plate()
        for _ in range(5):
            name = str(rng.choice(list(room)))
            try:
                after = room[name](job, rng)
            except SilhuetaError:
                continue
            after = followed(job, after)
            assert not strange(job, after, name), (number, name)
            done[name] += after is not job
            job = after
    if RUNS >= 500:
        assert all(done.values()), [name for name, count in done.items() if not count]
