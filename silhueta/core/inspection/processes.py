"""What each process can cut: the values that findings hold a part against, from open files.

The shipped values are in processes.toml beside this file. A file of the same form that a person
keeps goes over them, key by key; what is wrong in it is said with its line, and the rest counts.
"""

from __future__ import annotations

import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, fields, replace
from functools import cache
from importlib.resources import files
from pathlib import Path as File
from typing import Any

from silhueta.core.inspect_settings import PROCESSES, Process

_MOST_BYTES = 100_000  # of a person's file; the shipped one has 3,000
_MOST_VALUE = 1000.0  # mm, or so many widths: what is more is a slip


@dataclass(frozen=True)
class Profile:
    """What a process asks of a part; 0: nothing.

    What each value means stands at the head of processes.toml.
    """

    width_mm: float = 0.0
    hole_mm: float = 0.0
    hole_thickness: float = 0.0
    hole_widths: float = 0.0
    web_mm: float = 0.0
    web_widths: float = 0.0
    corner_widths: float = 0.0
    piece_mm: float = 0.0
    pierce_mm: float = 0.0
    pierce_thickness: float = 0.0
    why_hole: str = ""
    why_web: str = ""
    why_corner: str = ""
    why_piece: str = ""
    why_pierce: str = ""


_KINDS = {field.name: str if field.name.startswith("why") else float for field in fields(Profile)}


@cache
def own_file() -> File:
    """Return where a person's own values belong on this system."""
    from platformdirs import user_config_path

    return user_config_path("silhueta", appauthor=False) / "processes.toml"


def profile_of(process: Process) -> Profile:
    """Return what a process asks of a part: the shipped values, and a person's over them."""
    return known()[0][process]


def known() -> tuple[Mapping[Process, Profile], tuple[str, ...]]:
    """Return what each process asks of a part, and what is wrong in the person's own file."""
    own = own_file()
    try:
        changed = own.stat().st_mtime_ns
    except OSError:
        return _shipped(), ()
    return _with_own(own, changed)


@cache
def _with_own(own: File, changed: int) -> tuple[Mapping[Process, Profile], tuple[str, ...]]:
    """Return all profiles; `changed`, when the file was, has it read again after an edit."""
    del changed
    try:
        with own.open("rb") as stream:
            text = stream.read(_MOST_BYTES + 1)
    except OSError as error:
        return _shipped(), (f"{own.name} cannot be read ({error.strerror})",)
    if len(text) > _MOST_BYTES:
        return _shipped(), (f"{own.name} is larger than any file of limits; nothing of it is used",)
    return read_profiles(text, own.name, _shipped())


@cache
def _shipped() -> Mapping[Process, Profile]:
    text = (files("silhueta.core.inspection") / "processes.toml").read_bytes()
    empty: dict[Process, Profile] = {process: Profile() for process in PROCESSES}
    made, wrong = read_profiles(text, "processes.toml", empty)
    assert not wrong, wrong
    return made


def read_profiles(
    text: bytes, name: str, base: Mapping[Process, Profile]
) -> tuple[Mapping[Process, Profile], tuple[str, ...]]:
    """Return `base` with the values of a TOML text over it, and in words what is wrong there."""
    try:
        content = tomllib.loads(text.decode("utf-8"))
    except (tomllib.TOMLDecodeError, UnicodeDecodeError, RecursionError) as error:
        return base, (f"{name} cannot be read: {error}; the usual limits are used",)
    made, wrong = dict(base), []
    for process, values in content.items():
        key = next((one for one in PROCESSES if one == process), None)
        if key is None or not isinstance(values, dict):
            wrong.append(f"{name}: {process!r} is no process; there are {', '.join(PROCESSES)}")
            continue
        for value, given in values.items():
            fault = _fault(value, given)
            if fault:
                wrong.append(
                    f"{name}: [{process}] {value}{_line_of(text, process, value)}: {fault}"
                )
            else:
                changes: dict[str, Any] = {value: _KINDS[value](given)}
                made[key] = replace(made[key], **changes)
    return made, tuple(wrong)


def _fault(value: str, given: object) -> str:
    """Return what is wrong with one entry, or ""."""
    if value not in _KINDS:
        return "there is no such limit"
    if _KINDS[value] is str:
        return "" if isinstance(given, str) else "must be words in quotes"
    if isinstance(given, bool) or not isinstance(given, int | float):
        return "must be a number"
    return "" if 0 <= given <= _MOST_VALUE else f"must be from 0 to {_MOST_VALUE:,.0f}"


def _line_of(text: bytes, process: str, value: str) -> str:
    """Return " (line 12)" for an entry, or "" where it is not found as written."""
    inside = False
    for number, line in enumerate(text.decode("utf-8").splitlines(), 1):
        bare = line.strip()
        if bare.startswith("["):
            inside = bare.startswith(f"[{process}]")
        elif inside and bare.split("=")[0].strip() == value:
            return f" (line {number})"
    return ""
