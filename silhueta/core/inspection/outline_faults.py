"""Findings on the outline itself: what no machine can cut as it is meant."""

from __future__ import annotations

from collections.abc import Iterator
from functools import partial
from typing import TYPE_CHECKING

import numpy as np

from silhueta.core.geometry.measure import Box, box_of, length_of
from silhueta.core.geometry.outline import Contour
from silhueta.core.inspection.finding import Finder, Finding, Remedy, Scene
from silhueta.core.inspection.remedies import (
    SHORT,
    all_cut,
    closed,
    marked,
    skipped,
    tidied,
    welded,
)
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.core.geometry.path import Floats

# of a line's length: a smaller gap is a slip of whoever drew a loop, a larger one a line meant open
_NARROW = 0.1  # of its length


def _nothing_to_cut(scene: Scene) -> Iterator[Finding]:
    outline = scene.job.outline
    if scene.cut:
        return
    box: Box = outline.bounds if outline.taken else (0.0, 0.0, 0.0, 0.0)
    place = ((box[0] + box[2]) / 2, (box[1] + box[3]) / 2)
    remedies = [Remedy("Choose what is cut", stop="tidy" if outline.contours else "trace")]
    if any(not c.taken for c in outline.contours):
        remedies.insert(0, Remedy("Cut all that was skipped", all_cut))
    text = "nothing is set to be cut"
    yield Finding("nothing-to-cut", "stop", place, box, text, remedies=tuple(remedies))


def _unconverted(scene: Scene) -> Iterator[Finding]:
    """Yield texts and pictures of a file that no machine cuts, unless they become outlines."""
    outline = scene.job.outline
    box: Box = outline.bounds if outline.taken else (0.0, 0.0, 0.0, 0.0)
    for kind in ("texts", "pictures"):
        count = scene.left_out.get(kind, 0) or dict(scene.job.left_out).get(kind, 0)
        if count:
            one = kind[:-1]
            remedy = Remedy(f"Turn the {one} into outlines in the program that drew it")
            text = f"{counted(count, one)} in the file {'is' if count == 1 else 'are'} no outline"
            yield Finding("unconverted", "hurt", (box[0], box[3]), box, text, remedies=(remedy,))


def _open_paths(scene: Scene) -> Iterator[Finding]:
    for contour in scene.cut:
        path = contour.path
        if path.closed:
            continue
        gap = float(np.hypot(*(path.nodes[-1] - path.nodes[0])))
        x, y = path.nodes[-1].tolist()
        yield Finding(
            "open-path",
            "hurt",
            (x, y),
            box_of(path),
            f"a line of {length_of(path):.1f} mm does not close, its ends are {gap:.2f} mm apart; "
            "it is written as a mark",
            gap,
            0.0,
            (contour.key,),
            _closing(scene, contour, gap),
        )


def _closing(scene: Scene, contour: Contour, gap: float) -> tuple[Remedy, ...]:
    """Return what becomes of an open line: what most people want of one with such a gap first."""
    key, number = contour.key, scene.number_of(contour.key)
    mark = Remedy("Mark it", partial(marked, key=key))
    if any(item.sure and number in item.contours for item in scene.gaps):
        return Remedy("Join its ends", partial(tidied, kind="gaps", key=key)), mark
    straight = Remedy("Close it straight across", partial(closed, key=key))
    if gap < _NARROW * length_of(contour.path):
        return straight, mark
    return mark, straight, Remedy("Join its ends at Tidy", stop="tidy")


def _crossing(scene: Scene, code: str, own: bool) -> Iterator[Finding]:
    """Yield a finding for each contour, or pair of contours, that crosses itself, or each other."""
    found = scene.crossings
    pairs: dict[tuple[int, int], list[Floats]] = {}
    for place, (one, two) in zip(found.places, found.paths.tolist(), strict=True):
        if (one == two) == own:
            pairs.setdefault((min(one, two), max(one, two)), []).append(place)
    alike = set(scene.doubles)  # which cross all along, and are told as such
    for pair, places in pairs.items():
        if pair in alike:
            continue
        several = np.array(places)
        low, high = several.min(0).tolist(), several.max(0).tolist()
        what = "an outline crosses itself" if own else _crossing_words(scene, pair)
        yield Finding(
            code,
            "stop",
            (places[0][0].item(), places[0][1].item()),
            (low[0], low[1], high[0], high[1]),
            f"{what} at {counted(len(places), 'place')}: what is solid there, nobody can tell",
            keys=tuple(dict.fromkeys(scene.cut[k].key for k in pair)),
            remedies=_uncrossing(*(scene.cut[k].key for k in pair)),
        )


def _uncrossing(one: int, two: int) -> tuple[Remedy, ...]:
    if one == two:
        return (
            Remedy("Keep what it goes round", partial(tidied, kind="crossings", key=one)),
            Remedy("Mark it", partial(marked, key=one)),
            Remedy("Sort the crossings out at Tidy", stop="tidy"),
        )
    return (
        Remedy("Make them one", partial(welded, one=one, two=two)),
        Remedy("Move one of them at Build", stop="build"),
    )


def _crossing_words(scene: Scene, pair: tuple[int, int]) -> str:
    """Return what it means that two outlines cross, by what each of them is."""
    holes = [scene.depth_of(scene.cut[k].key) % 2 for k in pair]
    if not any(holes):
        return "two pieces overlap: their outlines cross"
    return "two outlines cross" if all(holes) else "a hole reaches over the edge: they cross"


def _self_crossings(scene: Scene) -> Iterator[Finding]:
    yield from _crossing(scene, "self-crossing", True)


def _loops_cross(scene: Scene) -> Iterator[Finding]:
    yield from _crossing(scene, "loops-cross", False)


def _doubled(scene: Scene) -> Iterator[Finding]:
    gone: set[int] = set()
    for one, two in scene.doubles:
        if one in gone or two in gone:
            continue
        gone.add(two)
        second = scene.cut[two]
        x, y = second.path.nodes[0].tolist()
        yield Finding(
            "doubled",
            "hurt",
            (x, y),
            box_of(second.path),
            f"two lines lie on each other, {length_of(second.path):.1f} mm long: both are cut",
            keys=(scene.cut[one].key, second.key),
            remedies=(Remedy("Skip one of them", partial(skipped, key=second.key)),),
        )


def _short_segments(scene: Scene) -> Iterator[Finding]:
    for contour in scene.cut:
        path = contour.path
        chord = np.hypot(*(path.ends - path.starts).T)
        short = np.flatnonzero((chord < SHORT) & (np.abs(path.bulges) < 1.0))
        if not len(short):
            continue
        places = path.starts[short]
        low, high = places.min(0).tolist(), places.max(0).tolist()
        k = int(short[chord[short].argmin()])
        x, y = path.starts[k].tolist()
        yield Finding(
            "short-segment",
            "look",
            (x, y),
            (low[0], low[1], high[0], high[1]),
            f"{counted(len(short), 'piece')} of a line under {SHORT:g} mm: a machine stops at each",
            float(chord[k]),
            SHORT,
            (contour.key,),
            (
                Remedy("Put a node in its place", partial(tidied, kind="short", key=contour.key)),
                Remedy("Take them out at Tidy", stop="tidy"),
            ),
        )


FINDERS = (
    Finder("nothing-to-cut", "Nothing to cut", "nothing to cut", _nothing_to_cut),
    Finder("unconverted", "Text or picture left", "texts and pictures left", _unconverted),
    Finder("self-crossing", "Crosses itself", "outlines that cross themselves", _self_crossings),
    Finder("loops-cross", "Outlines cross", "outlines that cross each other", _loops_cross),
    Finder("open-path", "Line does not close", "lines that do not close", _open_paths),
    Finder("doubled", "Double line", "lines that lie on each other", _doubled),
    Finder("short-segment", "Piece too short to see", "pieces too short to see", _short_segments),
)
