"""What is to be cut: contours with their state."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Literal

if TYPE_CHECKING:  # a job without an outline needs no arrays: the window opens sooner
    from silhueta.core.geometry.nesting import Nesting
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
        True: cut. False: skipped, it stays but is not written.
    operation : {"cut", "engrave", "mark"}
    origin : {"traced", "edited", "drawn", "imported"}
    locked : bool

    """

    path: Path
    taken: bool = True
    operation: Operation = "cut"
    origin: Origin = "traced"
    locked: bool = False


@dataclass(frozen=True, eq=False)
class Outline:
    """All contours of a job, in no particular order."""

    contours: tuple[Contour, ...] = ()

    @cached_property
    def taken(self) -> tuple[Path, ...]:
        """The paths that are cut."""
        return tuple(c.path for c in self.contours if c.taken)

    @cached_property
    def loops(self) -> tuple[Loop, ...]:
        """The closed paths that are cut."""
        from silhueta.core.geometry.path import Loop

        return tuple(path for path in self.taken if isinstance(path, Loop))

    @cached_property
    def nesting(self) -> Nesting:
        """How :attr:`loops` lie in each other."""
        from silhueta.core.geometry.nesting import nest

        return nest(self.loops)
