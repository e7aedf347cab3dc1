"""A second, independent way to read a DXF: straight from its tags, for the proof of what we wrote.

Knows only what the writer uses (CIRCLE, LWPOLYLINE, POLYLINE) and stumbles over anything else, on
purpose.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

import numpy as np

from silhueta.core.errors import FileError
from silhueta.core.geometry.path import ARC, LINE, Loop, OpenPath, Path, circle_loop
from silhueta.core.units import MM_PER_INCH

Tag = tuple[int, str]


class TaggedDxf(NamedTuple):
    """What a DXF says: mm per unit by $INSUNITS, the extents in units, and its paths in mm."""

    mm_per_unit: float
    extents: tuple[float, float, float, float]
    paths: list[Path]
    layers: list[str]


def read_tags(data: bytes) -> TaggedDxf:
    """Return what the DXF file `data` holds.

    Raises
    ------
    FileError
        If a section, the unit or a closed flag is missing, or an entity is not one of ours.

    """
    lines = data.decode("ascii").replace("\r\n", "\n").split("\n")
    tags = [
        (int(code), value) for code, value in zip(lines[0::2], lines[1::2], strict=False) if code
    ]
    header = _header(_section(tags, "HEADER"))
    factor = {"1": MM_PER_INCH, "4": 1.0}.get(header["$INSUNITS"][0][1].strip(), 0.0)
    if factor == 0.0:
        raise FileError("the DXF header names no unit")
    low, high = header["$EXTMIN"], header["$EXTMAX"]
    extents = tuple(float(tag[1]) for tag in (*low[:2], *high[:2]))
    paths: list[Path] = []
    layers: list[str] = []
    for entity in _entities(_section(tags, "ENTITIES")):
        path = _path(entity, factor)
        paths.append(path)
        layers.append(next(value for code, value in entity if code == 8))
    return TaggedDxf(factor, (extents[0], extents[1], extents[2], extents[3]), paths, layers)


def _section(tags: list[Tag], name: str) -> list[Tag]:
    try:
        start = tags.index((2, name)) + 1
    except ValueError as error:
        raise FileError(f"the DXF has no {name} section") from error
    return tags[start : tags.index((0, "ENDSEC"), start)]


def _header(tags: list[Tag]) -> dict[str, list[Tag]]:
    variables: dict[str, list[Tag]] = {}
    for tag in tags:
        if tag[0] == 9:
            current = variables.setdefault(tag[1], [])
        else:
            current.append(tag)
    return variables


def _entities(tags: list[Tag]) -> Iterator[list[Tag]]:
    """Yield the tags of each entity; a POLYLINE with its vertices up to SEQEND."""
    entity: list[Tag] = []
    for tag in tags:
        if tag[0] == 0 and tag[1] not in ("VERTEX", "SEQEND"):
            if entity:
                yield entity
            entity = []
        entity.append(tag)
    if entity:
        yield entity


def _path(entity: list[Tag], factor: float) -> Path:
    kind = entity[0][1]
    if kind == "CIRCLE":
        value = {code: float(text) for code, text in entity if code in (10, 20, 40)}
        return circle_loop((value[10] * factor, value[20] * factor), value[40] * factor)
    if kind not in ("LWPOLYLINE", "POLYLINE"):
        raise FileError(f"the DXF holds a {kind}, which was not written")
    flags = next(int(text) for code, text in entity if code == 70)
    if kind == "POLYLINE":  # the header's own point is a dummy: the vertices follow
        entity = entity[[tag[1] for tag in entity].index("VERTEX") :]
    xs = [float(text) for code, text in entity if code == 10]
    ys = [float(text) for code, text in entity if code == 20]
    bulges = np.zeros(len(xs))
    seen = -1
    for code, text in entity:
        if code == 10:
            seen += 1
        elif code == 42:
            bulges[seen] = float(text)
    nodes = factor * np.column_stack([xs, ys])
    closed = bool(flags & 1)
    bulges = bulges if closed else bulges[:-1]
    made = Loop if closed else OpenPath
    return made(nodes, np.where(bulges != 0, ARC, LINE).astype(np.uint8), bulges)
