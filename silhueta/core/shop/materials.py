"""Materials: how fast, how deep and how hot a process goes through a sheet."""

from __future__ import annotations

from dataclasses import MISSING, dataclass, fields
from functools import cache
from pathlib import Path as File

from silhueta.core.errors import EditError
from silhueta.core.inspect_settings import PROCESSES, Process
from silhueta.core.shop.records import (
    Read,
    load_records,
    own_folder,
    own_records,
    shipped_records,
)

_THICK = 3.0  # mm, of which a sheet is taken to be where nobody said
_FAR = 1.5  # times thicker or thinner than any record: its values are told as a guess


@dataclass(frozen=True)
class Material:
    """What is known of one process in one sheet; 0: not told.

    What each value means stands at the head of materials.toml.
    """

    name: str
    process: str
    thickness_mm: float
    feed_mm_min: float
    plunge_mm_min: float = 0.0
    depth_per_pass_mm: float = 0.0
    kerf_mm: float = 0.0
    lead_mm: float = 0.0
    pierce_height_mm: float = 0.0
    pierce_seconds: float = 0.0
    speed_rpm: float = 0.0
    power_percent: float = 0.0
    engrave_feed_mm_min: float = 0.0
    engrave_power_percent: float = 0.0
    note: str = ""

    def __post_init__(self) -> None:
        """Refuse what cannot be worked with."""
        if self.process not in PROCESSES:
            raise EditError(f"{self.process[:40]!r} is no process; {', '.join(PROCESSES)} are")
        if not (self.thickness_mm > 0 and self.feed_mm_min > 0):
            raise EditError(f"{self.name[:40]}: thickness and feed must be more than 0")


_KINDS: dict[str, type] = {
    f.name: str if f.name in ("name", "process", "note") else float for f in fields(Material)
}
assert all(f.default is not MISSING or f.name in _KINDS for f in fields(Material))


def own_materials() -> File:
    """Return where a person's own materials belong on this system."""
    return own_folder() / "materials.toml"


def load_materials(source: File) -> Read:
    """Return the materials of a file that a person named.

    Raises
    ------
    FileError
        If it cannot be read, or holds no material.

    """
    return load_records(source, "material", Material, _KINDS)


@cache
def shipped_materials() -> tuple[Material, ...]:
    """Return the materials that come with the program."""
    return shipped_records("materials.toml", "material", Material, _KINDS)


def known_materials() -> tuple[tuple[Material, ...], tuple[str, ...]]:
    """Return a person's own materials and after them the shipped ones, and what is wrong."""
    found = own_records(own_materials(), "material", Material, _KINDS)
    return (*found.records, *shipped_materials()), found.wrong


def kerf_of(process: Process, name: str, thickness: float | None) -> float:
    """Return the kerf of a process in a sheet of a name, mm; 0 where it is not known."""
    try:
        found = material_of(process, name, thickness, known_materials()[0])[0]
    except EditError:
        return 0.0
    return 0.0 if found is None else found.kerf_mm


def material_of(
    process: Process, name: str | None, thickness: float | None, known: tuple[Material, ...]
) -> tuple[Material | None, str]:
    """Return what is known of a sheet of a thickness, mm, and a sentence on it ("": it fits).

    Of records of one name the nearest in thickness counts, a person's own before a shipped one.

    Raises
    ------
    EditError
        If no material of that name is known for the process.

    """
    some = [one for one in known if one.process == process]
    named = [one for one in some if name is None or one.name.casefold() == name.casefold()]
    if name is not None and not named:
        names = ", ".join(dict.fromkeys(one.name for one in some)) or "none"
        raise EditError(f"no values are known for {name[:60]} on {process}; known: {names}")
    if not named:
        return None, ""
    want = thickness or _THICK
    best = min(named, key=lambda one: max(one.thickness_mm / want, want / one.thickness_mm))
    far = max(best.thickness_mm / want, want / best.thickness_mm)
    if name is None:
        return best, (
            f"no material is told: feeds are those of {best.name}, {best.thickness_mm:g} mm"
        )
    if far <= _FAR:
        return best, ""
    return best, (
        f"feeds are those of {best.name}, {best.thickness_mm:g} mm, the sheet has {want:g} mm: "
        "try them on a scrap first"
    )
