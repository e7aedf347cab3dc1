"""What is in a DXF or SVG of whatever origin."""

from __future__ import annotations

from pathlib import Path as File

from silhueta.core.errors import FileError
from silhueta.core.files.dxf_read import read_dxf
from silhueta.core.files.svg_read import ReadDrawing, read_svg
from silhueta.core.inspection.figures import double_count, report


def read_bytes(source: File) -> bytes:
    """Return the bytes of `source`.

    Raises
    ------
    FileError
        If it cannot be read or is empty.

    """
    try:
        data = source.read_bytes()
    except OSError as error:
        reason = (error.strerror or "it cannot be read").lower()
        raise FileError(f"cannot open {source}: {reason}; check the name and the rights") from error
    if not data:
        raise FileError(f"{source.name} is empty (0 bytes); save it again")
    return data


def read_drawing(source: File) -> ReadDrawing:
    """Return the outlines in the DXF or SVG file `source`, told apart by what is in it.

    Raises
    ------
    FileError
        If it cannot be read or is neither.

    """
    data = read_bytes(source)
    if data.startswith(b"AutoCAD Binary DXF"):
        return read_dxf(data, source.name)
    start = data[:4096].lstrip(b"\xef\xbb\xbf \t\r\n")
    if start.startswith(b"<"):
        return read_svg(data, source.name)
    if start[:1].isdigit() and (b"SECTION" in data[:65536]):
        return read_dxf(data, source.name)
    raise FileError(f"{source.name} is neither DXF nor SVG; give a file of one of these kinds")


def inspect_file(source: File) -> dict[str, object]:
    """Return the figures of a DXF or SVG file under the names that reports use.

    Besides those of :func:`silhueta.core.inspection.figures.report`: "closed_paths", and "doubles",
    how many paths lie on another one (None when there are too many to compare).

    Raises
    ------
    FileError
        As :func:`read_drawing`; also when there is no outline in the file.

    """
    drawing = read_drawing(source)
    if not drawing.paths:
        raise FileError(
            f"{source.name} holds no outline; convert texts and pictures to outlines first"
        )
    found = report(drawing.paths, drawing.units)
    found["closed_paths"] = sum(1 for path in drawing.paths if path.closed)
    found["doubles"] = double_count(drawing.paths)
    return found
