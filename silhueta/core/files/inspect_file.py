"""What is in a DXF or SVG of whatever origin."""

from __future__ import annotations

import zlib
from collections.abc import Mapping, Sequence
from pathlib import Path as File
from typing import NamedTuple

from silhueta.core.errors import FileError
from silhueta.core.files.atomic import read_bytes
from silhueta.core.files.dxf_read import read_dxf
from silhueta.core.files.layer_names import OnLayer, worked
from silhueta.core.files.limits import MOST_BYTES
from silhueta.core.files.svg_read import ReadDrawing, read_svg
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.inspection.figures import double_count, report
from silhueta.core.inspection.finding import NONE, Finding
from silhueta.core.inspection.limits import Limits
from silhueta.core.inspection.registry import finding_report, findings
from silhueta.core.job import Job

_UTF_16 = b"\xff\xfe<\x00", b"\xfe\xff\x00<"


def read_drawing(source: File) -> ReadDrawing:
    """Return the outlines in the DXF or SVG file `source`, told apart by what is in it.

    Raises
    ------
    FileError
        If it cannot be read or is neither.

    """
    data = _unpacked(read_bytes(source), source.name)
    if data.startswith(b"AutoCAD Binary DXF"):
        return read_dxf(data, source.name)
    start = data[:4096].lstrip(b"\xef\xbb\xbf \t\r\n")
    if start.startswith((b"<", *_UTF_16)):
        return read_svg(data, source.name)
    if start[:1].isdigit() and (b"SECTION" in data[:65536]):
        return read_dxf(data, source.name)
    raise FileError(
        f"{source.name} is neither DXF nor SVG; give a file of one of these kinds"
        + (" (inspect and build take jobs, too)" if data.startswith(b"PK") else "")
    )


def _unpacked(data: bytes, name: str) -> bytes:
    """Return what a gzipped SVG holds; anything else as it is."""
    if not data.startswith(b"\x1f\x8b"):
        return data
    most = MOST_BYTES["SVG"]
    unpack = zlib.decompressobj(wbits=16 + zlib.MAX_WBITS)
    try:
        whole = unpack.decompress(data, most + 1)
    except zlib.error as error:
        raise FileError(f"{name} is packed and damaged; save it again") from error
    if len(whole) > most:
        raise FileError(
            f"{name} unpacks to over {most / 1e6:,.0f} MB, more than can be read; save it smaller"
        )
    if not unpack.eof:
        raise FileError(f"{name} is packed and cut short; copy or save it again")
    return whole


def is_job(source: File) -> bool:
    """Return whether a file is named as a job is."""
    return source.suffix.lower() == ".silhueta"


def _kept(source: File) -> Job:
    """Return the job in a file, which has an outline that is worked."""
    from silhueta.core.files.job_file import load_job

    job = load_job(source)
    if not job.outline.taken:
        raise FileError(f"{source.name} has no outline yet; trace it first")
    return job


class ToInspect(NamedTuple):
    """What is looked at: a job, the unit of its file, and what of the file was left out."""

    job: Job
    units: str
    left_out: dict[str, int]
    is_job: bool = False


def to_inspect(source: File) -> ToInspect:
    """Return what is in a DXF, an SVG or a job, as a job.

    Raises
    ------
    FileError
        As :func:`read_drawing`; also when there is no outline in the file.

    """
    if is_job(source):
        return ToInspect(_kept(source), "mm", {}, True)
    drawing = read_drawing(source)
    if not drawing.paths:
        raise FileError(
            f"{source.name} holds no outline; convert texts and pictures to outlines first"
        )
    return ToInspect(as_job(drawing), drawing.units, drawing.left_out)


def inspect_file(source: File, limits: Limits = NONE) -> dict[str, object]:
    """Return the figures of a DXF, an SVG or a job; see :func:`report_of`.

    Raises
    ------
    FileError
        As :func:`to_inspect`.

    """
    came = to_inspect(source)
    return report_of(came, findings(came.job, limits, left_out=came.left_out))


def report_of(came: ToInspect, found: Sequence[Finding]) -> dict[str, object]:
    """Return the figures of a job under the names that reports use, with what was found in it.

    Besides those of :func:`silhueta.core.inspection.figures.report`: "closed_paths", and "doubles",
    how many paths lie on another one (None when there are too many to compare), and "findings":
    what would go wrong (inspection.registry).
    """
    paths = list(came.job.outline.taken)
    told = report(paths, came.units)
    told["closed_paths"] = sum(1 for path in paths if path.closed)
    told["doubles"] = double_count(paths)
    told["left_out"] = came.left_out
    told["findings"] = [finding_report(one) for one in found]
    return told


def as_job(drawing: ReadDrawing, told: Mapping[str, OnLayer] | None = None) -> Job:
    """Return the outlines of a drawing as a job, worked as was told of its layers, or as they say.

    The contours are in the order of the drawing's paths.
    """
    layers = drawing.layers or ("",) * len(drawing.paths)
    how = [worked(layer, told or {}) for layer in layers]
    contours = (
        Contour(path, one.taken, one.operation, "imported", colour=one.colour)
        for path, one in zip(drawing.paths, how, strict=True)
    )
    return Job(outline=Outline(tuple(contours)), page=drawing.frame)
