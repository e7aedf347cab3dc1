"""The figures of an outline, as reports, the readout and the read-back proof use them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from silhueta.core.geometry.crossing import crossings, doubles
from silhueta.core.geometry.measure import area_of, areas_of, boxes_of, circle_of, lengths_of
from silhueta.core.geometry.nesting import nest
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Loop, Path
from silhueta.core.geometry.region.region import covered
from silhueta.core.remembered import Remembered
from silhueta.core.tidy.choose import depths

MOST_COMPARED = 20_000  # paths above which doubles are not looked for
_LOOKED_AT = 20_000  # segments above which the readout's area takes loops not to cross


@dataclass(frozen=True)
class Figures:
    """Counts and sizes of a set of paths; lengths in mm, area in mm².

    A full circle counts as one node and one arc.
    """

    size_mm: tuple[float, float]
    outer_loops: int
    holes: int
    open_paths: int
    nodes: int
    lines: int
    arcs: int
    curves: int
    area_mm2: float
    cut_length_mm: float

    @property
    def segments(self) -> int:
        """All segments."""
        return self.lines + self.arcs + self.curves


def figures(
    paths: Sequence[Path],
    groups: Sequence[Sequence[Path]] | None = None,
    depth: NDArray[np.int64] | None = None,
    crossing: bool = False,
) -> Figures:
    """Return the figures of `paths`; the area is what is solid, holes taken off.

    Where `groups` of them are given, in the same order, loops nest within their group only.
    `depth`: how many loops lie around each loop, in their order, where that is known. `crossing`:
    some loops cross, and solid is what an odd number of them goes round.
    """
    grouped = [[p for p in group if isinstance(p, Loop)] for group in groups or [paths]]
    loops = [loop for group in grouped for loop in group]
    if depth is None:
        depth = np.concatenate([nest(group).depth for group in grouped]).astype(np.int64)
    areas = np.abs(areas_of(loops))
    boxes = boxes_of(paths)
    left, bottom, right, top = 0.0, 0.0, 0.0, 0.0
    if len(boxes):
        left, bottom = boxes[:, :2].min(axis=0).tolist()
        right, top = boxes[:, 2:].max(axis=0).tolist()
    circles = [circle_of(path) is not None for path in paths]
    kinds = [
        path.kinds[:1] if circle else path.kinds
        for path, circle in zip(paths, circles, strict=True)
    ]
    counts = np.bincount(np.concatenate(kinds), minlength=3) if kinds else np.zeros(3, int)
    return Figures(
        size_mm=(right - left, top - bottom),
        outer_loops=int((depth % 2 == 0).sum()),
        holes=int((depth % 2 == 1).sum()),
        open_paths=len(paths) - len(loops),
        nodes=sum(1 if c else len(path.nodes) for path, c in zip(paths, circles, strict=True)),
        lines=int(counts[LINE]),
        arcs=int(counts[ARC]),
        curves=int(counts[CUBIC]),
        area_mm2=float(sum(area_of(p) for group in grouped for p in covered(group, "evenodd")))
        if crossing
        else float((areas * np.where(depth % 2 == 0, 1, -1)).sum()),
        cut_length_mm=float(lengths_of(paths).sum()),
    )


def outline_figures(outline: Outline) -> Figures:
    """Return the figures of what is cut in `outline`, worked out once for each."""
    return _known(outline)


def _figures_of(outline: Outline) -> Figures:
    groups = [paths for _, paths in outline.groups]
    ordered = [path for group in groups for path in group]
    around = {
        id(c.path): depth
        for c, depth in zip(outline.contours, depths(outline).tolist(), strict=True)
        if c.cut
    }
    depth = np.array([around[id(p)] for p in ordered if isinstance(p, Loop)], np.int64)
    many = sum(len(path.kinds) for path in ordered)
    cross = many <= _LOOKED_AT and any(len(crossings(group, most=1)) for group in groups)
    found = figures(ordered, groups or None, depth, cross)
    if outline.others:  # they make no part, but the file is as large as all of it
        left, bottom, right, top = outline.bounds
        found = replace(found, size_mm=(right - left, top - bottom))
    return found


_known: Remembered[Outline, Figures] = Remembered(_figures_of)


def report(
    paths: Sequence[Path], file_units: str, groups: Sequence[Sequence[Path]] | None = None
) -> dict[str, object]:
    """Return the figures of `paths` under the names that reports use; JSON types only."""
    crossed = sum(len(crossings(group)) for group in groups or [paths])
    got = figures(paths, groups, crossing=crossed > 0)
    return {
        "file_units": file_units,
        "size_mm": [round(v, 6) for v in got.size_mm],
        "outer_loops": got.outer_loops,
        "holes": got.holes,
        "open_paths": got.open_paths,
        "nodes": got.nodes,
        "segments": {"line": got.lines, "arc": got.arcs, "curve": got.curves},
        "self_crossings": crossed,
        "area_mm2": round(got.area_mm2, 6),
        "cut_length_mm": round(got.cut_length_mm, 6),
    }


def double_count(paths: Sequence[Path]) -> int | None:
    """Return how many paths lie on another one, or None when there are too many to compare."""
    if len(paths) > MOST_COMPARED:
        return None
    return len({j for _, j in doubles(paths)})
