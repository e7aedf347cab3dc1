"""Findings that Tidy knows how to put right: doubles, hairpins, crowds of nodes, a frame."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial

import numpy as np

from silhueta.core.geometry.measure import area_of, box_of, length_of
from silhueta.core.geometry.path import Floats, Loop, Path
from silhueta.core.inspection.finding import Finder, Finding, Remedy, Scene
from silhueta.core.inspection.remedies import skipped, tidied, without_cluster
from silhueta.core.tidy.offers.kinds import find_offer
from silhueta.core.tidy.offers.offer import Item, Kind, limits_of
from silhueta.core.wording import counted

# A crowd: so many nodes within so many mm. A machine that looks twenty moves ahead slows down to a
# crawl there; the figures are common practice, no source. Outlines no longer than ten crowds are
# small drawings, not crowded ones.
_CROWD, _WITHIN, _SMALL = 6, 0.3, 10.0  # nodes, mm, crowds
_FILLS = 0.3  # of a frame, that the part in it covers at least: most drawings do, few windows do
_OFF = 0.05  # mm that the line in place of a crowd may leave its nodes


def _offered(scene: Scene, kind: Kind) -> list[Item]:
    """Return what Tidy would offer for contours that are cut."""
    outline = scene.job.outline
    offer = find_offer(outline, kind, limits_of(scene.job), scene.job.page)
    return [i for i in offer.items if all(outline.contours[k].cut for k in i.contours)]


def _nearly_doubled(scene: Scene) -> Iterator[Finding]:
    """Yield lines that run along others, but not on them; those are found without Tidy."""
    exact = {scene.cut[k].key for pair in scene.doubles for k in pair}
    for item in _offered(scene, "doubles"):
        contour = scene.job.outline.contours[item.contours[0]]
        if contour.key in exact:
            continue
        near = limits_of(scene.job).double
        yield Finding(
            "doubled",
            "hurt",
            item.place,
            box_of(contour.path),
            f"a line of {length_of(contour.path):.1f} mm runs along another within {near:.2f} mm: "
            "both are cut",
            None,
            near,
            (contour.key,),
            (
                Remedy("Make the two one line", partial(tidied, kind="doubles", key=contour.key)),
                Remedy("Skip this one", partial(skipped, key=contour.key)),
            ),
        )


def _hairpins(scene: Scene) -> Iterator[Finding]:
    for item in _offered(scene, "spikes"):
        contour = scene.job.outline.contours[item.contours[0]]
        x, y = item.place
        yield Finding(
            "hairpin",
            "hurt" if item.sure else "look",
            item.place,
            (x, y, x, y),
            "the line turns back on itself: a tip with nothing in it"
            if item.sure
            else "the line turns back on itself: a slip, or a real tip?",
            keys=(contour.key,),
            remedies=(
                Remedy("Clip it", partial(tidied, kind="spikes", key=contour.key, at=item.place)),
            ),
        )


def _clusters(scene: Scene) -> Iterator[Finding]:
    for contour in scene.cut:
        path = contour.path
        if length_of(path) <= _SMALL * _WITHIN:
            continue
        for first, last in _crowds(path):
            run = _run(path, first, last)
            x, y = run.mean(0).tolist()
            (left, bottom), (right, top) = run.min(0).tolist(), run.max(0).tolist()
            line = Remedy(
                "Put one line there",
                partial(without_cluster, key=contour.key, first=first, last=last),
            )
            tidy = Remedy("Take needless nodes out at Tidy", stop="tidy")
            yield Finding(
                "node-cluster",
                "look",
                (x, y),
                (left, bottom, right, top),
                f"{counted(len(run), 'node')} within {_span(run):.2f} mm: a machine shudders there",
                _span(run),
                _WITHIN,
                (contour.key,),
                (line, tidy) if _straight(run) else (tidy,),
            )


def _crowds(path: Path) -> list[tuple[int, int]]:
    """Return the runs of nodes that are crowded: the first and the last of each."""
    count = len(path.nodes)
    if count < _CROWD + 2:
        return []
    steps = np.hypot(*(path.ends - path.starts).T)
    if path.closed:
        steps = np.concatenate([steps, steps[: _CROWD - 1]])
    if len(steps) < _CROWD - 1:
        return []
    sums = np.convolve(steps, np.ones(_CROWD - 1), "valid")
    begins = np.flatnonzero(sums < _WITHIN)
    found: list[tuple[int, int]] = []
    for begin in begins.tolist():
        end = begin + _CROWD - 1
        if found and begin <= found[-1][1]:
            found[-1] = (found[-1][0], end)
        else:
            found.append((begin, end))
    # a run that goes over a loop's first node is met at both ends of the list
    if len(found) > 1 and found[-1][1] >= count + found[0][0]:
        found[0] = (found[-1][0], found[0][1])
        found.pop()
    runs = [(first % count, last % count) for first, last in found]
    return [(first, last) for first, last in runs if (last - first) % count < count - 2]


def _run(path: Path, first: int, last: int) -> Floats:
    count = len(path.nodes)
    which = [(first + k) % count for k in range((last - first) % count + 1)]
    return np.asarray(path.nodes[which])


def _span(run: Floats) -> float:
    return float(np.hypot(*np.ptp(run, axis=0)))


def _straight(run: Floats) -> bool:
    """Return whether a line between the ends of a run keeps near all of its nodes."""
    way = run[-1] - run[0]
    long = float(np.hypot(*way))
    if long < 1e-9:
        return bool(_span(run) <= _OFF)
    off = (run - run[0]) @ np.array([-way[1], way[0]]) / long
    return bool(np.abs(off).max() <= _OFF)


def _frames(scene: Scene) -> Iterator[Finding]:
    """Yield rectangles round everything that are the page's own, or that look drawn round a part.

    A plate with holes is a rectangle round everything, too, and so is a stencil's. What is in a
    frame is one thing that fills it, with holes in it.
    """
    holes = [c.path for c, depth in scene.nested if depth == 1 and isinstance(c.path, Loop)]
    inside_out = len(holes) == 1 and any(depth == 2 for _, depth in scene.nested)
    for item in _offered(scene, "frame"):
        contour = scene.job.outline.contours[item.contours[0]]
        sure = item.sure
        left, bottom, right, top = box_of(contour.path)
        fills = inside_out and abs(area_of(holes[0])) > _FILLS * (right - left) * (top - bottom)
        if not sure and not fills:
            continue
        text = "a rectangle as large as the page goes round everything: its frame"
        yield Finding(
            "frame",
            "hurt" if sure else "look",
            item.place,
            box_of(contour.path),
            text if sure else "a rectangle goes round everything: a frame, or the part itself?",
            keys=(contour.key,),
            remedies=(Remedy("Leave the frame out", partial(skipped, key=contour.key)),),
        )


FINDERS = (
    Finder("doubled", "Double line", "lines that lie on each other", _nearly_doubled),
    Finder("hairpin", "Turns back on itself", "lines that turn back on themselves", _hairpins),
    Finder("node-cluster", "Crowd of nodes", "crowds of nodes", _clusters),
    Finder("frame", "Frame round everything", "frames round everything", _frames),
)
