"""How cut files are written: what a job keeps of it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

from silhueta.core.units import Unit

FrameOrigin = Literal["corner", "picture", "chosen"]
Value = str | float | bool


@dataclass(frozen=True)
class CutFileSettings:
    """How the cut file is written.

    Parameters
    ----------
    units : {"mm", "in"}
    origin : {"corner", "picture", "chosen"}
    format : str
        The key of one (files.formats).
    holds : {"outline", "plan"}
        Whether files have the outline, or where the tools go.
    options : tuple of (str, str or float or bool)
        What was chosen of the formats' own options, by their names (files.format), such as
        "dxf.version". Options of formats that this program does not know stay.

    """

    units: Unit = "mm"
    origin: FrameOrigin = "corner"
    format: str = "dxf"
    options: tuple[tuple[str, Value], ...] = ()
    holds: Literal["outline", "plan"] = "outline"

    def chosen(self, name: str) -> Value | None:
        """Return what was chosen of an option, or None."""
        return dict(self.options).get(name)

    def choosing(self, name: str, value: Value) -> CutFileSettings:
        """Return the settings with an option chosen."""
        return replace(self, options=tuple(sorted((dict(self.options) | {name: value}).items())))
