"""Closed and open outlines in the plane, made of lines, arcs and cubic curves.

Words used here
    node      a point where two segments meet
    segment   what runs from one node to the next: a line, an arc or a cubic Bézier curve
    loop      a closed path; its last segment ends at the first node, which is not repeated
    bulge     tan(included angle / 4) of an arc; positive when it turns counter-clockwise
    control   the two inner control points of a cubic
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import ClassVar, Self

import numpy as np
from numpy.typing import ArrayLike, NDArray

from silhueta.core.errors import GeometryError

Floats = NDArray[np.float64]
Kinds = NDArray[np.uint8]

LINE, ARC, CUBIC = 0, 1, 2


@dataclass(frozen=True, slots=True, eq=False, weakref_slot=True)
class Path:
    """A chain of segments in millimetres, y up. Never changes once made.

    Parameters
    ----------
    nodes : (N, 2) array_like of float
        Nodes in mm as (x, y). Copied, then read-only, as are the arrays below.
    kinds : (M,) array_like of {LINE, ARC, CUBIC}, optional
        Kind of segment i, which runs from node i to node i + 1; M = N for a loop and N - 1 for
        an open path. All lines when left out.
    bulges : (M,) array_like of float, optional
        Bulge of each arc; zero for the other kinds.
    controls : (M, 2, 2) array_like of float, optional
        Control points of each cubic in mm; zero for the other kinds.

    Raises
    ------
    GeometryError
        If shapes do not fit together, a number is not finite, a kind is unknown, an arc has no
        bulge, or there are too few nodes to make a path.

    """

    nodes: Floats
    kinds: Kinds = field(default_factory=lambda: np.zeros(0, np.uint8))
    bulges: Floats = field(default_factory=lambda: np.zeros(0))
    controls: Floats = field(default_factory=lambda: np.zeros((0, 2, 2)))

    closed: ClassVar[bool] = False

    def __post_init__(self) -> None:
        nodes = _frozen(self.nodes, "nodes", (None, 2))
        count = len(nodes) if self.closed else len(nodes) - 1
        bare = len(self.kinds) == 0
        kinds = np.array(np.zeros(max(count, 0)) if bare else self.kinds, dtype=np.uint8)
        curved = bool((kinds != LINE).any())
        if len(nodes) < (2 if curved or not self.closed else 3):
            raise GeometryError(f"a path of this kind needs more than {len(nodes)} nodes")
        bulges = self.bulges if len(self.bulges) else np.zeros(count)
        controls = self.controls if len(self.controls) else np.zeros((count, 2, 2))
        bulges = _frozen(bulges, "bulges", (count,))
        controls = _frozen(controls, "control points", (count, 2, 2))
        if kinds.shape != (count,) or kinds.max(initial=0) > CUBIC:
            raise GeometryError(f"{len(nodes)} nodes need {count} segments, got {kinds.shape}")
        if ((kinds == ARC) & (bulges == 0)).any():
            raise GeometryError("an arc needs a bulge other than zero")
        kinds.setflags(write=False)
        for name, value in (
            ("nodes", nodes),
            ("kinds", kinds),
            ("bulges", bulges),
            ("controls", controls),
        ):
            object.__setattr__(self, name, value)

    @classmethod
    def trusted(cls, nodes: Floats, kinds: Kinds, bulges: Floats) -> Self:
        """Return a path of lines and arcs whose arrays are known to fit together.

        Only that they are numbers is looked at, which makes thousands cheap. The arrays become the
        path's own, and read-only.

        Raises
        ------
        GeometryError
            If a number is not finite.

        """
        if not (np.isfinite(nodes).all() and np.isfinite(bulges).all()):
            raise GeometryError("a path holds a number that is not finite")
        made = object.__new__(cls)
        controls = np.zeros((len(bulges), 2, 2))
        for array in (nodes, bulges, controls):
            array.setflags(write=False)
        kinds.setflags(write=False)
        object.__setattr__(made, "nodes", nodes)
        object.__setattr__(made, "kinds", kinds)
        object.__setattr__(made, "bulges", bulges)
        object.__setattr__(made, "controls", controls)
        return made

    def with_points(self, nodes: Floats, controls: Floats | None = None) -> Self:
        """Return the same segments through other nodes, (N, 2), mm; controls stay if left out.

        Kinds and bulges are not looked at again, which makes thousands of copies cheap. The arrays
        become the path's own, and read-only.

        Raises
        ------
        GeometryError
            If a number is not finite.

        """
        if not (np.isfinite(nodes).all() and (controls is None or np.isfinite(controls).all())):
            raise GeometryError("the nodes hold a number that is not finite")
        made = object.__new__(type(self))
        kept = self.controls if controls is None else controls
        nodes.setflags(write=False)
        kept.setflags(write=False)
        object.__setattr__(made, "nodes", nodes)
        object.__setattr__(made, "kinds", self.kinds)
        object.__setattr__(made, "bulges", self.bulges)
        object.__setattr__(made, "controls", kept)
        return made

    @property
    def starts(self) -> Floats:
        """Start of each segment, (M, 2), mm."""
        return self.nodes if self.closed else self.nodes[:-1]

    @property
    def ends(self) -> Floats:
        """End of each segment, (M, 2), mm."""
        if not self.closed:
            return self.nodes[1:]
        return np.concatenate((self.nodes[1:], self.nodes[:1]))  # as np.roll does, but faster


@dataclass(frozen=True, slots=True, eq=False)
class Loop(Path):
    """A closed path. Outer loops run counter-clockwise, holes clockwise."""

    closed: ClassVar[bool] = True


@dataclass(frozen=True, slots=True, eq=False)
class OpenPath(Path):
    """A path with two ends: a defect, or a deliberate mark line."""


def _frozen(values: ArrayLike, name: str, shape: tuple[int | None, ...]) -> Floats:
    array = np.array(values, dtype=np.float64)
    fits = array.ndim == len(shape) and all(
        want is None or want == got for want, got in zip(shape, array.shape, strict=False)
    )
    if not fits:
        wanted = tuple("N" if want is None else want for want in shape)
        raise GeometryError(f"{name} need the shape {wanted}, got {array.shape}")
    if not np.isfinite(array).all():
        raise GeometryError(f"the {name} hold a number that is not finite")
    array.setflags(write=False)
    return array


def circle_loop(centre: ArrayLike, radius: float) -> Loop:
    """Return a full circle as two half-circle arcs, counter-clockwise, starting at its right.

    Raises
    ------
    GeometryError
        If `radius` is not above zero.

    """
    if not radius > 0:
        raise GeometryError(f"a circle needs a radius above zero, got {radius}")
    x, y = np.asarray(centre, dtype=np.float64)
    return Loop(
        np.array([[x + radius, y], [x - radius, y]]),
        np.array([ARC, ARC], np.uint8),
        np.array([1.0, 1.0]),
    )


def reverse(path: Path) -> Path:
    """Return `path` run the other way, starting at the same node (a loop) or the other end."""
    if path.closed:
        nodes = np.roll(path.nodes[::-1], 1, axis=0)
    else:
        nodes = path.nodes[::-1]
    return type(path)(nodes, path.kinds[::-1], -path.bulges[::-1], path.controls[::-1, ::-1])
