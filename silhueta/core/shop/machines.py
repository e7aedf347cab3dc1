"""Machine records: what is known of one machine, from open files."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import Path as File
from typing import Literal, get_origin, get_type_hints

from silhueta.core.errors import EditError
from silhueta.core.inspect_settings import Process
from silhueta.core.shop.records import (
    Read,
    load_records,
    own_folder,
    own_records,
    records_text,
    shipped_records,
)

# the generic machine that a process is planned for, where nobody names one
OF_PROCESS: dict[Process, str] = {
    "plasma": "torch-table",
    "water": "torch-table",
    "router": "router",
    "laser": "beam",
    "knife": "beam",
    "saw": "beam",
}


@dataclass(frozen=True)
class Machine:
    """One machine.

    Parameters
    ----------
    name : str
    bed_mm : (x, y), mm
    max_feed_mm_min, rapid_mm_min : float
        While cutting, and between cuts.
    acceleration_mm_s2 : float
    corner_mm : float, mm
        How far the machine may round a corner while it goes on: the more, the faster.
    z_rapid_mm_min : float
        Up and down between cuts.
    clearance_mm : float, mm
        Above the sheet's top, between cuts.
    tool_change : bool
        Whether it stops for another tool; else each tool needs a program of its own.
    tool_change_seconds : float
        For a hand.
    z : {"depth", "none"}
        Whether it goes up and down, or has no Z.
    z_travel_mm : float, mm
        How far it goes up and down; 0: not told.
    max_speed_rpm : float
        Of the spindle; 0: not told.
    full_power_s : float
        What S says for a beam's full power; 0: S is not said.
    arcs : {"centre", "lines"}
        Arcs by their centres (G2, G3 with I and J), or as short lines.
    arc_error_mm : float, mm
        How far short lines may be off their arc.
    inverse : tuple of str
        Axes that count the other way: "X", "Y", "Z".
    comments : {"brackets", "semicolon", "none"}
    line_numbers : int
        From one line to the next; 0: lines have none.
    decimals : int
        Of mm; of inches two more.
    torch_on, torch_off, beam_on, beam_off, spindle_on, spindle_off : str
        Lines that switch torch or jet, beam or blade, and spindle.
    start_lines, end_lines : tuple of str
        Written as they are, after what the program says of itself and before its end.
    note : str

    """

    name: str
    bed_mm: tuple[float, float]
    max_feed_mm_min: float
    rapid_mm_min: float
    acceleration_mm_s2: float
    corner_mm: float = 0.05
    z_rapid_mm_min: float = 1500.0
    clearance_mm: float = 5.0
    tool_change: bool = True
    tool_change_seconds: float = 90.0
    z: Literal["depth", "none"] = "depth"
    z_travel_mm: float = 0.0
    max_speed_rpm: float = 0.0
    full_power_s: float = 0.0
    arcs: Literal["centre", "lines"] = "centre"
    arc_error_mm: float = 0.01
    inverse: tuple[str, ...] = ()
    comments: Literal["brackets", "semicolon", "none"] = "brackets"
    line_numbers: int = 0
    decimals: int = 4
    torch_on: str = "M3"
    torch_off: str = "M5"
    beam_on: str = "M3"
    beam_off: str = "M5"
    spindle_on: str = "M3"
    spindle_off: str = "M5"
    start_lines: tuple[str, ...] = ()
    end_lines: tuple[str, ...] = ()
    note: str = ""

    def __post_init__(self) -> None:
        """Refuse what no machine can be."""
        for name in ("max_feed_mm_min", "rapid_mm_min", "acceleration_mm_s2", "z_rapid_mm_min"):
            if not getattr(self, name) > 0:
                raise EditError(f"{name} of {self.name[:40]} must be more than 0")
        if not min(self.bed_mm) > 0:
            raise EditError(f"the bed of {self.name[:40]} must be more than 0 mm both ways")
        for name, known in _WORDS.items():
            if getattr(self, name) not in known:
                raise EditError(f"{name} is {' or '.join(known)}")
        if any(axis not in ("X", "Y", "Z") for axis in self.inverse):
            raise EditError('inverse names axes: "X", "Y", "Z"')
        if not _FINEST <= self.arc_error_mm <= 1:
            raise EditError(f"arc_error_mm is {_FINEST:g} to 1 mm")
        if not 3 <= self.decimals <= 6:  # fewer are off by more than a program may be
            raise EditError("decimals is 3 to 6")
        if not 0 <= self.line_numbers <= 100:  # larger steps only use up the largest number
            raise EditError("line_numbers is 0 to 100, from one line to the next")
        own = (*self.words.values(), *self.start_lines, *self.end_lines)
        for line in own:
            if not line.isascii() or not line.isprintable() or len(line) > _LONGEST:
                raise EditError(f"“{line[:40]}” is no line of a program")
        if not all(line.strip() for line in self.words.values()):
            raise EditError("the lines that switch a tool on and off cannot be empty")
        for kind in ("torch", "beam", "spindle"):
            on, off = self.words[f"{kind}_on"], self.words[f"{kind}_off"]
            if on.split() == off.split():
                raise EditError(f"{kind}_on and {kind}_off are the same line")

    @property
    def words(self) -> dict[str, str]:
        """The lines that switch tools on and off, by their names here."""
        return {
            f"{kind}_{how}": getattr(self, f"{kind}_{how}")
            for kind in ("torch", "beam", "spindle")
            for how in ("on", "off")
        }


_WORDS = {
    "z": ("depth", "none"),
    "arcs": ("centre", "lines"),
    "comments": ("brackets", "semicolon", "none"),
}
_FINEST = 1e-3  # mm: finer lines than that are more than machines take, and no program needs them
_LONGEST = 100  # letters of one line of a machine's own
_TYPES: dict[object, type] = {float: float, str: str, bool: bool, int: int}


def _kind(hint: object) -> type:
    """Return how the values of a field are read from a file."""
    if hint == tuple[str, ...]:
        return list
    return _TYPES.get(hint, str if get_origin(hint) is Literal else tuple)


_KINDS: dict[str, type] = {name: _kind(hint) for name, hint in get_type_hints(Machine).items()}


def own_machines() -> File:
    """Return where a person's own machines belong on this system."""
    return own_folder() / "machines.toml"


@cache
def shipped_machines() -> tuple[Machine, ...]:
    """Return the machines that come with the program."""
    return shipped_records("machines.toml", "machine", Machine, _KINDS)


def load_machines(source: File) -> Read:
    """Return the machines of a file that a person named.

    Raises
    ------
    FileError
        If it cannot be read, or holds no machine.

    """
    return load_records(source, "machine", Machine, _KINDS)


def is_file(named: str) -> bool:
    """Return whether a person who named a machine meant a file of records."""
    return named.lower().endswith(".toml") or File(named).is_file()


def known_machines() -> tuple[tuple[Machine, ...], tuple[str, ...]]:
    """Return a person's own machines and after them the shipped ones, and what is wrong."""
    found = own_records(own_machines(), "machine", Machine, _KINDS)
    return (*found.records, *shipped_machines()), found.wrong


def machine_of(
    process: Process | None, name: str | None, known: tuple[Machine, ...] | None = None
) -> Machine:
    """Return the machine of a name, or the generic one of a process.

    Raises
    ------
    EditError
        If no machine has that name.

    """
    known = known_machines()[0] if known is None else known
    wanted = name or OF_PROCESS[process or "laser"]
    for one in known:
        if one.name.casefold() == wanted.casefold():
            return one
    names = ", ".join(dict.fromkeys(one.name for one in known))
    raise EditError(f"no machine is called {wanted[:60]}; known: {names}")


def machine_text(machine: Machine) -> str:
    """Return a machine as the text of a file of its own, all its values in it."""
    return records_text("machine", [machine], tuple(_KINDS))
