"""What a person asks of a part at Inspect, and what was waved through there."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal, get_args

from silhueta.core.errors import EditError

Process = Literal["plasma", "laser", "router", "knife", "water", "saw"]
PROCESSES: tuple[Process, ...] = get_args(Process)
_MOST = 1e6  # mm, a kilometre: longer than any sheet, so that what is typed larger is a slip


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
    margin : float or None, mm
        Between the part and the sheet's edge.
    web : float or None, mm
        The least width of what stays. None: what is usual for the process.
    slats : float or None, mm
        How far apart the slats are that the sheet lies on. None: it does not lie on any.
    at : (x, y), mm
        Where the sheet's lower left is, in the outline's coordinates.
    material : str or None
        Of the sheet (inspection.materials). None: no mass is told.

    """

    process: Process | None = None
    thickness: float | None = None
    width: float | None = None
    sheet: tuple[float, float] | None = None
    margin: float | None = None
    web: float | None = None
    slats: float | None = None
    at: tuple[float, float] = (0.0, 0.0)
    material: str | None = None

    def __post_init__(self) -> None:
        """Refuse numbers that nothing can be held against."""
        for name in ("thickness", "width", "margin", "web", "slats"):
            value = getattr(self, name)
            if value is not None and not 0 <= value < _MOST:
                raise EditError(f"the {name} must be from 0 to under 1,000,000 mm, got {value:g}")
        if self.sheet is None:
            return
        if not all(0 < side < _MOST for side in self.sheet):
            raise EditError("a sheet must be wider and higher than 0 mm")
        if self.margin is not None and 2 * self.margin >= min(self.sheet):
            raise EditError(
                f"a margin of {self.margin:g} mm leaves nothing of a sheet of "
                f"{self.sheet[0]:g} x {self.sheet[1]:g} mm; type a smaller one"
            )


@dataclass(frozen=True)
class Waved:
    """A finding that a person let pass.

    Parameters
    ----------
    code : str
        Of the finding.
    keys : tuple of int
        The contours that it is about.
    mark : str
        What its geometry and its limit were then (inspection.waving); when they change, the
        finding comes back.
    reason : str
        Why, in the person's words.
    text : str
        What the finding said.

    """

    code: str
    keys: tuple[int, ...]
    mark: str
    reason: str
    text: str = ""
