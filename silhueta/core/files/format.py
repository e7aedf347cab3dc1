"""A format of cut files, declared in one place."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, NamedTuple

from silhueta.core.cut_file_settings import Value

if TYPE_CHECKING:
    from silhueta.core.cutting.drawing import Drawing
    from silhueta.core.cutting.plan_drawing import PlanDrawing
    from silhueta.core.geometry.path import Path
    from silhueta.core.job import CutFileSettings


class Choice(NamedTuple):
    """One of several, chosen of a format; the first is what is taken where nobody chose.

    name : str
        In small letters, one word or several with a dash; unlike the format's other options.
    title : str
    choices : mapping of str to str
        What can be chosen, and how people read it.
    about : str
        A sentence for the command line's help.
    flag : str
        A shorter name on the command line, where it has one.
    """

    name: str
    title: str
    choices: Mapping[str, str]
    about: str = ""
    flag: str = ""

    @property
    def usual(self) -> str:
        """What is taken where nobody chose."""
        return next(iter(self.choices))

    def fits(self, value: object) -> bool:
        """Return whether a value can be chosen."""
        return isinstance(value, str) and value in self.choices


class Number(NamedTuple):
    """A number typed for a format.

    name, title, about, flag : str
        As for a choice.
    unit : str
        "mm": typed as a length in the person's own unit. Else what is said behind the number.
    low, high : float
        The least and the most it can be.
    usual : float
        What is taken where nobody typed one.
    """

    name: str
    title: str
    unit: str
    low: float
    high: float
    usual: float
    about: str = ""
    flag: str = ""

    def fits(self, value: object) -> bool:
        """Return whether a value is such a number."""
        number = isinstance(value, (int, float)) and not isinstance(value, bool)
        return number and self.low <= value <= self.high  # type: ignore[operator]


class YesNo(NamedTuple):
    """Something that is done for a format, or not; `usual` where nobody said."""

    name: str
    title: str
    usual: bool = False
    about: str = ""
    flag: str = ""

    def fits(self, value: object) -> bool:
        """Return whether a value is yes or no."""
        return isinstance(value, bool)


Option = Choice | Number | YesNo


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
    prove : callable or None
        Holds a written file against its drawing, where it has no outlines to be read back.
    paged : bool
        Whether its content lies on a page with a corner of its own, which no zero point moves.

    """

    key: str
    title: str
    one: str
    about: str
    write: Callable[[Drawing | PlanDrawing, CutFileSettings], bytes]
    read_back: Callable[[bytes], Came]
    layer: Callable[[str], str] = same
    options: tuple[Option, ...] = field(default=())
    paged: bool = False
    prove: Callable[[Drawing | PlanDrawing, CutFileSettings, bytes, str], None] | None = None

    def named(self, option: Option) -> str:
        """Return the name by which a job keeps what was chosen of an option."""
        return f"{self.key}.{option.name}"

    def value(self, plan: CutFileSettings, name: str) -> Value:
        """Return what was chosen of the option of that name; what is usual where nothing was."""
        option = next(one for one in self.options if one.name == name)
        chosen = plan.chosen(self.named(option))
        return chosen if chosen is not None and option.fits(chosen) else option.usual

    @property
    def suffix(self) -> str:
        """The file's ending."""
        return f".{self.key}"
