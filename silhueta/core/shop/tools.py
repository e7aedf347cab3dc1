"""Tools: the shipped ones, and a person's own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import MISSING, fields
from functools import cache
from pathlib import Path as File

from silhueta.core.inspect_settings import Process
from silhueta.core.plan_settings import Tool
from silhueta.core.shop.records import (
    Read,
    load_records,
    own_folder,
    own_records,
    read_records,
    records_text,
    shipped_records,
)

_KINDS = {f.name: type(f.default) for f in fields(Tool) if f.default is not MISSING}
# which kinds of tool a process works with, the usual one first
OF_PROCESS: dict[Process, tuple[str, ...]] = {
    "plasma": ("torch",),
    "laser": ("beam",),
    "water": ("beam",),
    "router": ("flat", "vbit", "drill", "ball"),
    "knife": ("blade",),
    "saw": ("blade",),
}


def own_tools() -> File:
    """Return where a person's own tools belong on this system."""
    return own_folder() / "tools.toml"


def read_tools(data: bytes, name: str) -> Read:
    """Return the tools of a TOML text, and what is wrong in it."""
    return read_records(data, name, "tool", Tool, _KINDS)


def load_tools(source: File) -> Read:
    """Return the tools of a file that a person named.

    Raises
    ------
    FileError
        If it cannot be read, or holds no tool.

    """
    return load_records(source, "tool", Tool, _KINDS)


@cache
def shipped_tools() -> tuple[Tool, ...]:
    """Return the tools that come with the program."""
    return shipped_records("tools.toml", "tool", Tool, _KINDS)


def known_tools() -> tuple[tuple[Tool, ...], tuple[str, ...]]:
    """Return a person's own tools, else the shipped ones, and what is wrong in the own file."""
    found = own_records(own_tools(), "tool", Tool, _KINDS)
    return tuple(found.records) or shipped_tools(), found.wrong


def tools_text(tools: Sequence[Tool]) -> str:
    """Return tools as the text of such a file; what is not told is left out."""
    return records_text("tool", tools, ("number", "kind", "diameter_mm"))
