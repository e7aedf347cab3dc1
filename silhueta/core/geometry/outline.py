"""What is to be cut: contours with their state."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING, Literal

if TYPE_CHECKING:  # a job without an outline needs no arrays: the window opens sooner
    from silhueta.core.geometry.path import Loop, Path

Operation = Literal["cut", "engrave", "mark"]
Origin = Literal["traced", "edited", "drawn", "imported"]


@dataclass(frozen=True, slots=True, eq=False)
class Contour:
    """One path and what becomes of it.

    Parameters
    ----------
    path : Path
        A Loop or an OpenPath, mm.
    taken : bool
        True: worked, as `operation` says. False: skipped, it stays but is not written.
    operation : {"cut", "engrave", "mark"}
        What is done along it, where it is taken: engraved and marked loops make no part, no hole.
    origin : {"traced", "edited", "drawn", "imported"}
    locked : bool
    colour : (red, green, blue) or None
        Main colour of the picture that it encloses, where the picture was split.
    chosen : bool
        Whether a person decided over cut or skip.
    key : int
        By which it is known within its job, through edits, undo, files and a new trace; 0: none
        yet (:func:`keyed`).
    mirrored : bool
        Whether it shows the other side of what was drawn, being mirrored an odd number of times.
    group : int
        What has the same number is chosen and moved as one; 0: none.

    """

    path: Path
    taken: bool = True
    operation: Operation = "cut"
    origin: Origin = "traced"
    locked: bool = False
    colour: tuple[int, int, int] | None = None
    chosen: bool = False
    key: int = 0
    mirrored: bool = False
    group: int = 0

    @property
    def cut(self) -> bool:
        """Whether it is cut through."""
        return self.taken and self.operation == "cut"


@dataclass(frozen=True, eq=False)
class Outline:
    """All contours of a job, in no particular order."""

    contours: tuple[Contour, ...] = ()

    @cached_property
    def taken(self) -> tuple[Path, ...]:
        """The paths that are worked: cut, engraved or marked."""
        return tuple(c.path for c in self.contours if c.taken)

    @cached_property
    def loops(self) -> tuple[Loop, ...]:
        """The closed paths that are cut."""
        from silhueta.core.geometry.path import Loop

        return tuple(c.path for c in self.contours if c.cut and isinstance(c.path, Loop))

    @cached_property
    def bounds(self) -> tuple[float, float, float, float]:
        """Left, bottom, right and top of what is worked, mm; there must be something."""
        from silhueta.core.errors import GeometryError
        from silhueta.core.geometry.measure import boxes_of

        if not self.taken:
            raise GeometryError("nothing to measure: there is no outline")
        boxes = boxes_of(self.taken)
        (left, bottom), (right, top) = boxes[:, :2].min(0).tolist(), boxes[:, 2:].max(0).tolist()
        return left, bottom, right, top

    @cached_property
    def groups(self) -> tuple[tuple[tuple[int, int, int] | None, tuple[Path, ...]], ...]:
        """The paths that are cut, by colour; loops of two colours meet, and do not nest."""
        found: dict[tuple[int, int, int] | None, list[Path]] = {}
        for contour in self.contours:
            if contour.cut:
                found.setdefault(contour.colour, []).append(contour.path)
        return tuple((colour, tuple(paths)) for colour, paths in found.items())

    @cached_property
    def others(self) -> tuple[tuple[Operation, Path], ...]:
        """What is engraved or marked: (operation, path)."""
        return tuple((c.operation, c.path) for c in self.contours if c.taken and not c.cut)


def repeated(
    contours: Sequence[Contour], paths: Sequence[Path], last_group: int = 0
) -> list[Contour]:
    """Return contours with other paths: each of `contours` in turn, as often as paths are there.

    All but the first round are copies: their keys are still to be given, and their groups are their
    own, numbered from `last_group` on.
    """
    made: list[Contour] = []
    groups: dict[tuple[int, int], int] = {}
    for k, path in enumerate(paths):
        turn, contour = k // len(contours), contours[k % len(contours)]
        if turn == 0:
            made.append(replace(contour, path=path))
            continue
        group = 0
        if contour.group:
            group = groups.setdefault((turn, contour.group), last_group + len(groups) + 1)
        made.append(replace(contour, path=path, key=0, group=group, origin="drawn"))
    return made


def in_common(gone: Sequence[Contour], paths: Sequence[Path]) -> list[Contour]:
    """Return contours for paths that stand for others: a path that is one of those keeps its own.

    All others have what those that went had in common: colour, group, being mirrored or locked.
    """
    if not paths:
        return []
    by_path = {id(c.path): c for c in gone}
    stay = set(map(id, paths))
    went = [c for c in gone if id(c.path) not in stay]
    colours = {c.colour for c in went}
    groups = {c.group for c in went}
    fresh = Contour(
        paths[0],
        origin="drawn",
        colour=colours.pop() if len(colours) == 1 else None,
        group=groups.pop() if len(groups) == 1 else 0,
        mirrored=bool(went) and all(c.mirrored for c in went),
        locked=bool(went) and all(c.locked for c in went),
    )
    return [by_path.get(id(path)) or replace(fresh, path=path) for path in paths]


def keyed(outline: Outline, last: int) -> tuple[Outline, int]:
    """Return the outline with a key for each contour, and the last key that was given.

    The first of several with one key, as of a loop that was cut in pieces, keeps it; the others get
    new ones. No key is given twice: nothing points at another loop than it was meant for.

    Parameters
    ----------
    outline : Outline
        The same one comes back where nothing is to be done.
    last : int
        The last key that was given in its job.

    """
    seen: set[int] = set()
    made = []
    last = max((last, *(contour.key for contour in outline.contours)))
    for contour in outline.contours:
        if contour.key == 0 or contour.key in seen:
            last += 1
            made.append(replace(contour, key=last))
        else:
            made.append(contour)
        seen.add(made[-1].key)
    same = all(one is two for one, two in zip(made, outline.contours, strict=True))
    return (outline if same else Outline(tuple(made))), last
