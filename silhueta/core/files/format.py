"""A format of cut files, declared in one place."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:
    from silhueta.core.cutting.drawing import Drawing
    from silhueta.core.geometry.path import Path
    from silhueta.core.job import CutFileSettings


class Option(NamedTuple):
    """What can be chosen of a format.

    field : str
        Of `CutFileSettings`, that holds what was chosen.
    title : str
    choices : mapping of str to str
        What the field may be, and how people read it.
    """

    field: str
    title: str
    choices: Mapping[str, str]


class Came(NamedTuple):
    """What an independent reader found in a written file: paths in mm, unit, each path's layer."""

    paths: Sequence[Path]
    units: str
    layers: Sequence[str]
    page: tuple[float, float] | None = None  # mm, where the format has one


def same(layer: str) -> str:
    """Return the layer as it is."""
    return layer


@dataclass(frozen=True)
class Format:
    """What the program needs to know to write, prove and offer one kind of cut file.

    Parameters
    ----------
    key : str
        The file's ending, without the dot.
    title : str
        As people call it, "DXF".
    one : str
        With its article, "a DXF".
    about : str
        What it is good for, a sentence.
    write : callable
        Returns the bytes of a drawing's file. What it imports is loaded only then.
    read_back : callable
        Reads the bytes by other code than wrote them.
    layer : callable
        What such a file calls a layer of the drawing.
    options : tuple of Option
    paged : bool
        Whether its content lies on a page with a corner of its own, which no zero point moves.

    """

    key: str
    title: str
    one: str
    about: str
    write: Callable[[Drawing, CutFileSettings], bytes]
    read_back: Callable[[bytes], Came]
    layer: Callable[[str], str] = same
    options: tuple[Option, ...] = field(default=())
    paged: bool = False

    @property
    def suffix(self) -> str:
        """The file's ending."""
        return f".{self.key}"
