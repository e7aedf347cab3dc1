"""What a process, a sheet and a person ask of a part: the limits that findings hold it against."""

from __future__ import annotations

import tomllib
from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import Any, Literal, get_args

from silhueta.core.errors import EditError

Process = Literal["plasma", "laser", "router", "knife", "water", "saw"]
PROCESSES: tuple[Process, ...] = get_args(Process)


@dataclass(frozen=True)
class Limits:
    """What a part is held against; what is not told is not looked at.

    Parameters
    ----------
    process : str or None
        None: only the outline's own faults are looked for.
    thickness : float or None, mm
        Of the sheet.
    width : float or None, mm
        What the tool takes away: kerf, or the bit's diameter. None: what is usual for the process.
    sheet : (width, height) or None, mm
        Its lower left is the outline's (0, 0).
    margin : float or None, mm
        Between the part and the sheet's edge.
    web : float or None, mm
        The least width of what stays. None: what is usual for the process.

    """

    process: Process | None = None
    thickness: float | None = None
    width: float | None = None
    sheet: tuple[float, float] | None = None
    margin: float | None = None
    web: float | None = None

    def __post_init__(self) -> None:
        """Refuse numbers that nothing can be held against."""
        for name in ("thickness", "width", "margin", "web"):
            value = getattr(self, name)
            if value is not None and not 0 <= value < 1e6:
                raise EditError(f"the {name} must be from 0 to under 1,000,000 mm, got {value:g}")
        if self.sheet is not None and not all(0 < side < 1e6 for side in self.sheet):
            raise EditError("a sheet must be wider and higher than 0 mm")

    @property
    def tool(self) -> float:
        """How wide the tool cuts, mm."""
        if self.width is not None:
            return self.width
        return 0.0 if self.process is None else float(_shipped()[self.process]["width_mm"])

    def least_hole(self) -> tuple[float, str]:
        """Return how wide a hole must be at least, mm (0: any), and why."""
        if self.process is None:
            return 0.0, ""
        known = _shipped()[self.process]
        least = max(
            known.get("hole_mm", 0.0),
            known.get("hole_thickness", 0.0) * (self.thickness or 0.0),
            known.get("hole_widths", 0.0) * self.tool,
        )
        return float(least), str(known["why"])

    def least_web(self) -> tuple[float, str]:
        """Return how wide webs must be at least, mm (0: any), and why."""
        if self.web is not None:
            return self.web, "as was asked for"
        if self.process is None:
            return 0.0, ""
        known = _shipped()[self.process]
        least = max(known.get("web_mm", 0.0), known.get("web_widths", 0.0) * self.tool)
        return float(least), f"usual for a {self.process} (common practice, no source)"


@cache
def _shipped() -> dict[str, dict[str, Any]]:
    text = (files("silhueta.core.inspection") / "processes.toml").read_text(encoding="utf-8")
    return tomllib.loads(text)
