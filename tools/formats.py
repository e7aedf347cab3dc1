"""Write docs/formats.md from the code: what job files and journals hold, part by part."""

from __future__ import annotations

import dataclasses
import inspect
import json
import re
import types
import typing
from pathlib import Path
from typing import Any

import msgspec

from silhueta.core.files import job_record
from silhueta.core.files.job_record import FORMAT, ContourRecord, JobRecord
from silhueta.core.keep import delta, journal
from silhueta.core.keep.delta import Delta, Kept
from silhueta.core.keep.journal import KIND, Entry

TARGET = Path(__file__).parent.parent / "docs" / "formats.md"

_HEAD = f"""# Formats

This page is written from the code by `python -m tools.formats`; a test holds it against the code.

## Job files (`.silhueta`), format {FORMAT}

A job file is a ZIP archive that any program opens:

| member | what it holds |
| --- | --- |
| `job.json` | all of the job but its picture, as the tables below say |
| `picture/NAME` | the picture, byte for byte as it came; missing where there is none |
| `outline.svg` | the outline at its true size, for whoever has no Silhueta; it is not read back |
| `preview.png` | a small picture, by which a person knows the job again; it is not read back |
| `marks.json` | marks: jobs kept under a name, each as in `job.json`; missing without any |

Lengths are mm with y upward, places in a picture are pixels from the outer corner of its top left
one. A reader takes its own format and every older one, brings older ones up to its own step by
step, and says so when it meets a newer one. What a file leaves out has its usual value.

"""

_JOURNAL = f"""
## Journals (`.journal`), kind {KIND}

One for each window with something unsaved, in the state folder. A line `silhueta journal`, then
frames: four bytes of length, four of check sum (CRC-32), both with the least byte first, one byte
that says whether what follows is packed (zlib), and the bytes. The first frame says what wrote it;
each other is `P` and the bytes of a picture, or `E` and an entry (MessagePack). What is after the
last whole frame does not count. Entries tell only what is new since the one before.

"""


def page() -> str:
    """Return the page."""
    seen: list[type] = []
    lines = [_HEAD]
    _tables(JobRecord, "job.json", lines, seen)
    lines.append(_JOURNAL)
    for one, title in ((Entry, "An entry"), (Delta, "What is new"), (Kept, "A contour")):
        _tables(one, title, lines, seen)
    return "".join(lines)


def _tables(part: type, title: str, lines: list[str], seen: list[type]) -> None:
    """Put in the table of a part, then of what it is made of."""
    if part in seen:
        return
    seen.append(part)
    told = _told(part)
    hints = typing.get_type_hints(part, _names(part), include_extras=False)
    tag = getattr(getattr(part, "__struct_config__", None), "tag", None)
    first = (inspect.getdoc(part) or "").split("\n")[0]
    lines.append(f"### {title}\n\n{first}\n\n")
    if isinstance(tag, str):
        lines.append(f'Has `"type": "{tag}"`.\n\n')
    lines.append("| name | what | usual | |\n| --- | --- | --- | --- |\n")
    inner: list[type] = []
    for name, usual in _fields(part):
        kind = hints[name]
        shown = _kind(kind, inner)
        lines.append(f"| `{name}` | {shown} | {usual} | {told.get(name, '')} |\n")
    lines.append("\n")
    for one in inner:
        _tables(one, one.__name__, lines, seen)


def _names(part: type) -> dict[str, Any]:
    module = inspect.getmodule(part)
    return {**vars(job_record), **vars(delta), **vars(journal), **vars(module or typing)}


def _fields(part: type) -> list[tuple[str, str]]:
    """Return a part's fields and their usual values, in words."""
    if dataclasses.is_dataclass(part):
        return [
            (one.name, _value(one.default, one.default_factory, dataclasses.MISSING))
            for one in dataclasses.fields(part)
        ]
    return [
        (one.encode_name, _value(one.default, one.default_factory, msgspec.NODEFAULT))
        for one in msgspec.structs.fields(part)
    ]


def _value(default: Any, factory: Any, missing: Any) -> str:
    if default is missing and factory is missing:
        return "needed"
    value = factory() if default is missing else default
    text = json.dumps(msgspec.to_builtins(value))
    return f"`{text}`" if len(text) < 30 else "as its own"


def _kind(kind: Any, inner: list[type]) -> str:
    """Return a type in words, and note the parts that it is made of."""
    origin, of = typing.get_origin(kind), typing.get_args(kind)
    if origin is typing.Literal:
        return ", ".join(f"`{json.dumps(one)}`" for one in of)
    if origin in (typing.Union, types.UnionType):
        return " or ".join(_kind(one, inner) for one in of)
    if origin in (list, tuple):
        if len(of) == 2 and of[1] is Ellipsis:
            return f"list of {_kind(of[0], inner)}"
        shown = [_kind(one, inner) for one in of]
        return f"list of {shown[0]}" if origin is list else f"[{', '.join(shown)}]"
    if origin is dict:
        return f"{_kind(of[1], inner)} by {_kind(of[0], inner)}"
    if kind is type(None):
        return "null"
    words = {str: "text", float: "number", int: "whole number", bool: "true, false", bytes: "bytes"}
    if kind in words:
        return words[kind]
    inner.append(kind)
    return kind.__name__


def _told(part: type) -> dict[str, str]:
    """Return what the part's docstring says of each field."""
    found: dict[str, str] = {}
    names: list[str] = []
    for line in (inspect.getdoc(part) or "").split("\n"):
        head = re.match(r"([a-z_0-9]+(?:, [a-z_0-9]+)*)( : .*)?$", line)
        if head and not line.startswith(" ") and (head[2] or names):
            names = head[1].split(", ")
            unit = re.search(r", ([a-z]+)$", head[2] or "")
            for name in names:
                found[name] = f"{unit[1]}." if unit and unit[1] in ("mm", "degrees", "px") else ""
        elif names and line.startswith("    "):
            for name in names:
                found[name] = f"{found[name]} {line.strip()}".strip()
    return {name: text.replace("|", "\\|") for name, text in found.items()}


def main() -> None:
    """Write the page."""
    assert ContourRecord  # has its table, as the outline is made of them
    TARGET.write_text(page())


if __name__ == "__main__":
    main()
