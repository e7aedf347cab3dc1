"""Machine records: what is known of one machine, from open files."""

from __future__ import annotations

from dataclasses import MISSING, dataclass, fields
from functools import cache
from pathlib import Path as File
from typing import get_type_hints

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
    tool_change_seconds : float
        For a hand; 0: it changes none.
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
    tool_change_seconds: float = 90.0
    note: str = ""

    def __post_init__(self) -> None:
        """Refuse what no machine can be."""
        for name in ("max_feed_mm_min", "rapid_mm_min", "acceleration_mm_s2", "z_rapid_mm_min"):
            if not getattr(self, name) > 0:
                raise EditError(f"{name} of {self.name[:40]} must be more than 0")
        if not min(self.bed_mm) > 0:
            raise EditError(f"the bed of {self.name[:40]} must be more than 0 mm both ways")


_TYPES = {float: float, str: str}
_KINDS: dict[str, type] = {
    name: _TYPES.get(kind, tuple) for name, kind in get_type_hints(Machine).items()
}
assert all(f.default is not MISSING or f.name in _KINDS for f in fields(Machine))


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
