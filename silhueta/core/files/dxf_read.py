"""Outlines out of anybody's DXF, by ezdxf, bounded in size."""

from __future__ import annotations

import io
import logging
import re
from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

import numpy as np

from silhueta.core.errors import FileError
from silhueta.core.files.dxf_spline import spline_path
from silhueta.core.files.limits import (
    MOST_BYTES,
    MOST_FIT_POINTS,
    MOST_SEGMENTS,
    MOST_SHAPES,
)
from silhueta.core.files.svg_read import ReadDrawing, within
from silhueta.core.geometry.path import ARC, CUBIC, LINE, Loop, OpenPath, Path, circle_loop
from silhueta.core.geometry.transform import scale

if TYPE_CHECKING:
    from ezdxf.document import Drawing as DxfDocument

_DEEPEST = 16  # blocks within blocks
_BINARY = b"AutoCAD Binary DXF"
# what is no vertex of a polyline; layers, styles and the like are few
_RECORD = re.compile(rb"\n[ \t]*0[ \t]*\r?\n[ \t]*(?!VERTEX|SEQEND|ATTRIB)[A-Z3]")
_OTHER_RECORDS = 20_000
_SAME = 1e-6  # units between a path's ends that make it closed in fact
# $INSUNITS (Autodesk, "DXF Reference", HEADER section): name and mm
_UNITS = {
    1: ("in", 25.4),
    2: ("ft", 304.8),
    4: ("mm", 1.0),
    5: ("cm", 10.0),
    6: ("m", 1000.0),
    9: ("mil", 0.0254),
    14: ("dm", 100.0),
}


def read_dxf(data: bytes, name: str) -> ReadDrawing:
    """Return the outlines in a DXF file's model space.

    Lines, arcs, circles and polylines stay what they are; splines and ellipses become cubics;
    blocks are unfolded. A file that names no unit is taken as mm and said to be unitless.

    Raises
    ------
    FileError
        If it is no DXF, is damaged beyond recovery, unfolds to over 50,000 entities, or holds more
        than can be read besides (`limits`).

    """
    if len(data) > MOST_BYTES["DXF"]:
        raise FileError(f"{name} is over 200 MB, more than can be read; save it smaller")
    if len(_RECORD.findall(data)) > MOST_SHAPES + _OTHER_RECORDS:
        raise _too_many(name)
    document, removed = _document(data, name)
    units, factor = _UNITS.get(int(document.header.get("$INSUNITS", 0) or 0), ("unitless", 1.0))
    if units == "unitless":
        units, factor = _r12_units(data)
    paths: list[Path] = []
    layers: list[str] = []
    fills: list[Any] = []
    left_out: dict[str, int] = {_DAMAGED: removed} if removed else {}
    try:
        entities = list(_unfolded(document, name, _bound_blocks(document, name)))
    except FileError:
        raise
    except Exception as error:  # blocks with numbers no reader expects
        raise FileError(f"{name} holds a block that cannot be understood; save it again") from error
    segments = 0
    for entity in entities:
        missed = "hidden" if _is_hidden(document, entity) else _LEFT.get(entity.dxftype())
        if missed == "hatches":
            fills.append(entity)
        if missed is None:
            _bound_spline(entity, name)
            try:
                made = [scale(path, factor) for path in _paths(entity)]
                paths.extend(made)
                layers += [_layer_of(entity)] * len(made)
                segments += sum(len(path.kinds) for path in made)
            except Exception:  # numbers no reader expects: one thing less, and said
                missed = _DAMAGED
        if segments > MOST_SEGMENTS:
            raise FileError(
                f"{name} holds over {MOST_SEGMENTS:,} segments, more than can be read: save it in "
                "parts, or with fewer nodes"
            )
        if missed is not None:
            left_out[missed] = left_out.get(missed, 0) + 1
    if fills and not paths:  # what nothing else draws
        paths = [scale(path, factor) for fill in fills for path in _filled(fill)]
        left_out.pop("hatches")
    if not paths and not left_out and b"EOF" not in data[-_TAIL:] and not data.startswith(_BINARY):
        raise FileError(f"{name} is cut short: its end is missing; copy or save it again")
    named = tuple(layers) if layers else ("",) * len(paths)
    return within(ReadDrawing(paths, units, None, left_out, layers=named), name)


_DAMAGED = "empty or damaged things"
_TAIL = 200  # bytes in which a whole file says that it ends
_LEFT = {
    "TEXT": "texts",
    "MTEXT": "texts",
    "ATTRIB": "texts",
    "IMAGE": "pictures",
    "DIMENSION": "dimensions",
    "HATCH": "hatches",
    "3DFACE": "solids",
    "SOLID": "solids",
    "TRACE": "solids",
    "MESH": "solids",
    "3DSOLID": "solids",
}


def _layer_of(entity: Any) -> str:
    dxf = entity.dxf
    return str(dxf.get("layer", "0")) if dxf.is_supported("layer") else "0"


def _is_hidden(document: DxfDocument, entity: Any) -> bool:
    """Return whether an entity, or its layer, is switched off or frozen."""
    dxf = entity.dxf
    if dxf.is_supported("invisible") and dxf.get("invisible", 0):
        return True
    name = _layer_of(entity)
    layer: Any = document.layers.get(name) if document.layers.has_entry(name) else None
    return layer is not None and (layer.is_off() or layer.is_frozen())


def _document(data: bytes, name: str) -> tuple[DxfDocument, int]:
    """Return a DXF's document, and how many shapes of it were so damaged that they were removed."""
    from ezdxf import recover
    from ezdxf.audit import AuditError
    from ezdxf.lldxf.const import DXFError

    logging.getLogger("ezdxf").setLevel(logging.ERROR)
    if data.startswith(_BINARY):
        data = _as_text(data, name)
    try:
        document, audit = recover.read(io.BytesIO(data))
    except (OSError, DXFError) as error:
        raise FileError(
            f"{name} is damaged or no DXF; save it again as DXF R12 or R2000"
        ) from error
    except Exception as error:  # recovery of arbitrary bytes fails in many ways
        raise FileError(f"{name} cannot be understood as DXF; save it again") from error
    shapes = {AuditError.REMOVED_INVALID_GRAPHIC_ENTITY, AuditError.INVALID_MAJOR_AXIS}
    shapes |= {one for one in AuditError if one.name.startswith("INVALID_SPLINE")}
    gone = [fix for fix in audit.fixes if fix.code in shapes]
    return document, sum(fix.message.startswith(("Removed", "Deleted")) for fix in gone)


def _as_text(data: bytes, name: str) -> bytes:
    """Return a binary DXF as the text that it stands for."""
    from ezdxf.lldxf.tagger import binary_tags_loader

    lines: list[str] = []
    try:
        for code, value in binary_tags_loader(data):
            lines += [str(code), value.hex().upper() if isinstance(value, bytes) else str(value)]
    except Exception as error:  # bytes of whatever kind
        raise FileError(
            f"{name} is a damaged binary DXF; save it again as DXF R12 or R2000"
        ) from error
    return "\n".join([*lines, ""]).encode("utf-8", "surrogateescape")


def _bound_spline(entity: Any, name: str) -> None:
    if entity.dxftype() != "SPLINE":
        return
    points = len(entity.fit_points) if not len(entity.control_points) else 0
    if points > MOST_FIT_POINTS:
        raise FileError(
            f"{name} holds a spline through {points:,} points; at most {MOST_FIT_POINTS:,} can be "
            "read: save it with control points, or as a polyline"
        )


def _filled(hatch: Any) -> list[Path]:
    """Return the boundaries of a hatch; none where they cannot be told."""
    from ezdxf import path as ezdxf_path

    try:
        return [path for curve in ezdxf_path.from_hatch(hatch) for path in _curves(curve)]
    except Exception:  # boundaries that lead nowhere
        return []


def _r12_units(data: bytes) -> tuple[str, float]:
    """Return the unit of an R12 file that carries one all the same; ezdxf passes it over."""
    lines = [line.strip() for line in data[:200_000].splitlines()]
    if b"$INSUNITS" in lines:
        place = lines.index(b"$INSUNITS")
        value = lines[place + 2] if place + 2 < len(lines) else b""
        if value.isdigit():
            return _UNITS.get(int(value), ("unitless", 1.0))
    return "unitless", 1.0


def _bound_blocks(document: DxfDocument, name: str) -> dict[str, int]:
    """Return how many entities each block holds, unfolded.

    Raises before blocks unfold into too many, or into themselves.
    """
    sizes: dict[str, int] = {}
    open_now: set[str] = set()

    def size(layout: Any, key: str, depth: int) -> int:
        if key in sizes:
            return sizes[key]
        if key in open_now or depth > _DEEPEST:
            raise FileError(f"{name} has blocks within blocks without end; save it again, exploded")
        open_now.add(key)
        total = 0
        for entity in layout:
            if entity.dxftype() == "INSERT":
                inner = str(entity.dxf.get("name", "")).lower()
                block: Any = document.blocks.get(inner)
                if block is not None:
                    total += max(int(entity.mcount), 1) * size(block, inner, depth + 1)
            else:
                total += 1
            if total > MOST_SHAPES:
                raise _too_many(name)
        open_now.discard(key)
        sizes[key] = total
        return total

    size(document.modelspace(), "*model", 0)
    return sizes


def _too_many(name: str) -> FileError:
    return FileError(
        f"{name} unfolds into over {MOST_SHAPES:,} shapes, more than can be read: save it in "
        "parts, or without what is not to be cut"
    )


def _unfolded(document: DxfDocument, name: str, sizes: dict[str, int]) -> Iterator[Any]:
    """Yield what is drawn in the order of the file, which is that of work in a cut file."""
    count = 0
    stack: list[tuple[Any, int]] = [(entity, 0) for entity in document.modelspace()][::-1]
    while stack:
        entity, depth = stack.pop()
        count += 1
        if count > 2 * MOST_SHAPES:  # blocks that only hold blocks
            raise _too_many(name)
        if entity.dxftype() == "INSERT":
            if not sizes.get(str(entity.dxf.get("name", "")).lower()):
                continue  # an empty block, however often
            if depth >= _DEEPEST:
                raise FileError(
                    f"{name} has blocks within blocks without end; save it again, exploded"
                )
            inserts = entity.multi_insert() if entity.mcount > 1 else (entity,)
            below = len(stack)
            for insert in inserts:
                stack.extend((child, depth + 1) for child in insert.virtual_entities())
            stack[below:] = stack[below:][::-1]
        else:
            yield entity


def _paths(entity: Any) -> list[Path]:
    kind, dxf = entity.dxftype(), entity.dxf
    flat = tuple(dxf.get("extrusion", (0, 0, 1))) == (0, 0, 1)
    if kind == "LINE":
        ends = np.array([tuple(dxf.start)[:2], tuple(dxf.end)[:2]])
        return [OpenPath(ends)] if np.ptp(ends, axis=0).any() else []
    if kind == "CIRCLE" and flat:
        return [circle_loop(tuple(dxf.center)[:2], dxf.radius)]
    if kind == "ARC" and flat:
        turn = np.radians((dxf.end_angle - dxf.start_angle) % 360 or 360)
        at = np.radians(dxf.start_angle) + np.array([0.0, turn / 2, turn])
        nodes = np.array(tuple(dxf.center)[:2]) + dxf.radius * np.column_stack(
            [np.cos(at), np.sin(at)]
        )
        return [OpenPath(nodes, np.array([ARC, ARC], np.uint8), np.full(2, np.tan(turn / 8)))]
    if kind == "LWPOLYLINE" and flat:
        rows = np.array(entity.get_points("xyb")).reshape(-1, 3)
        return _polyline(rows, bool(entity.closed))
    if kind == "POLYLINE" and flat and entity.is_2d_polyline:
        rows = np.array(
            [(*tuple(v.dxf.location)[:2], v.dxf.get("bulge", 0.0)) for v in entity.vertices]
        ).reshape(-1, 3)
        return _polyline(rows, bool(entity.is_closed))
    if kind == "SPLINE":
        return [_spline(entity)]
    return _other(entity)


def _spline(entity: Any) -> Path:
    """Return a spline as cubics: of its own control points, or of those that its points make."""
    told = entity
    if not len(entity.control_points):
        told = entity.construction_tool()
        knots, weights = list(told.knots()), list(told.weights())
        degree = int(told.degree)
    else:
        knots, weights = list(entity.knots), list(entity.weights)
        degree = int(entity.dxf.degree)
    control = np.array([tuple(point)[:2] for point in told.control_points], np.float64)
    return spline_path(control, knots, degree, weights)


def _polyline(rows: np.ndarray, closed: bool) -> list[Path]:
    if len(rows) < 2:
        return []
    after = np.roll(rows[:, :2], -1, axis=0)
    keep = np.abs(after - rows[:, :2]).max(axis=1) > 0
    if not closed:
        keep[-1] = True
        closed = len(rows) > 3 and np.abs(rows[0, :2] - rows[-1, :2]).max() < _SAME
        if closed:
            keep[-1] = False
    rows = rows[keep]
    bulges = rows[:, 2] if closed else rows[:-1, 2]
    kinds = np.where(bulges != 0, ARC, LINE).astype(np.uint8)
    return [(Loop if closed else OpenPath)(rows[:, :2], kinds, bulges)]


def _other(entity: Any) -> list[Path]:
    """Return curves of any other kind as cubics; kinds without a path as nothing."""
    from ezdxf import path as ezdxf_path

    try:
        curve = ezdxf_path.make_path(entity)
    except TypeError:
        return []  # texts, dimensions, points and the like
    return _curves(curve)


def _curves(curve: Any) -> list[Path]:
    """Return a path of ezdxf's, its curves as cubics."""
    from ezdxf.path import Command

    found: list[Path] = []
    for piece in curve.sub_paths():
        nodes = [tuple(piece.start)[:2]]
        kinds: list[int] = []
        controls: list[np.ndarray] = []
        command: Any
        for command in piece.commands():
            start, end = np.array(nodes[-1]), np.array(tuple(command.end)[:2])
            control = np.zeros((2, 2))
            if command.type == Command.CURVE4_TO:
                control = np.array([tuple(command.ctrl1)[:2], tuple(command.ctrl2)[:2]])
            elif command.type == Command.CURVE3_TO:
                middle = np.array(tuple(command.ctrl)[:2])
                control = np.array([start + (middle - start) * 2 / 3, end + (middle - end) * 2 / 3])
            nodes.append(tuple(end))
            kinds.append(LINE if command.type == Command.LINE_TO else CUBIC)
            controls.append(control)
        if not kinds:
            continue
        closed = len(kinds) > 1 and np.abs(np.subtract(nodes[0], nodes[-1])).max() < _SAME
        made = Loop if closed else OpenPath
        corners = np.array(nodes[:-1] if closed else nodes)
        arrays = np.array(kinds, np.uint8), np.zeros(len(kinds)), np.array(controls)
        found.append(made(corners, *arrays))
    return found
