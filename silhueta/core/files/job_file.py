"""The job file: a ZIP archive with the picture as it came and a readable job.json.

Words used here
    format    the number that job.json carries; a reader takes its own and older ones, and says so
              when it meets a newer one
    member    a file in the archive: ``job.json`` and ``picture/NAME``
"""

from __future__ import annotations

import io
import re
import zipfile
import zlib
from collections.abc import Mapping
from pathlib import Path as File
from typing import Annotated, Any

import msgspec
import numpy as np

from silhueta import __version__
from silhueta.core.apart.rehearse import rehearse_json
from silhueta.core.datums import Datum, Optics
from silhueta.core.errors import FileError, GeometryError, SilhuetaError
from silhueta.core.files.atomic import read_bytes, write_whole
from silhueta.core.files.limits import MOST_JOB, MOST_PAGES
from silhueta.core.geometry.measure import within_reach
from silhueta.core.geometry.outline import Contour, Operation, Origin, Outline
from silhueta.core.geometry.path import Loop, OpenPath
from silhueta.core.inspect_settings import Limits, Waved
from silhueta.core.job import CutFileSettings, Frame, Job, PictureFile, TraceSettings, TraceStamp
from silhueta.core.migrations import Migration, migrated
from silhueta.core.plan_settings import PlanSettings
from silhueta.core.relations import Dimension, Ref, Relation
from silhueta.core.steps import Step
from silhueta.core.tidy_settings import TidySettings
from silhueta.core.whole_file import readable
from silhueta.core.words import Words

SUFFIX = ".silhueta"
# The number that job.json carries: one more whenever what it holds takes another form, so that an
# older program refuses what it cannot know, instead of losing it.
# 2: datums page, sheet, gauge, round; optics; clean. 3: modes, patches, colours. 4: reading,
# light, height of the datum, doubts
# 5: what an outline was traced from in one place; limits of Tidy, an imported page
# 6: what was chosen of a format of cut files, by name
# 7: what the part is held against at Inspect, what was waved through
# 8: how it is cut
FORMAT = 8  # the cut plan's settings have come in since 7
_MOST_PICTURE = 1_000_000_000
_LAST_KEY = 10**12  # more than any hand gives


_DAMAGED = (
    msgspec.MsgspecError,
    SilhuetaError,
    KeyError,
    TypeError,
    ValueError,
    OverflowError,  # a number that no array holds
)


class _ContourRecord(msgspec.Struct, forbid_unknown_fields=False):
    closed: bool
    nodes: list[tuple[float, float]]
    kinds: list[int]
    bulges: list[float]
    controls: list[tuple[tuple[float, float], tuple[float, float]]] = []
    taken: bool = True
    operation: Operation = "cut"
    origin: Origin = "traced"
    locked: bool = False
    colour: tuple[int, int, int] | None = None
    chosen: bool = False
    key: Annotated[int, msgspec.Meta(ge=0, le=_LAST_KEY)] = 0
    mirrored: bool = False
    group: Annotated[int, msgspec.Meta(ge=0, le=_LAST_KEY)] = 0


class _JobRecord(msgspec.Struct):
    format: int
    program: str
    name: str
    picture: str | None
    datums: tuple[Datum, ...]
    trace: TraceSettings
    cut_file: CutFileSettings
    traced: TraceStamp | None
    outline: list[_ContourRecord]
    page: Annotated[int, msgspec.Meta(ge=0, le=MOST_PAGES)] = 0
    page_dpi: float | None = None
    optics: Optics = Optics()
    clean: tuple[Step, ...] = ()
    tidy: TidySettings = TidySettings()
    frame: Frame | None = None
    relations: tuple[Relation, ...] = ()
    calipers: tuple[Dimension, ...] = ()
    zero: tuple[Ref, ...] = ()
    words: tuple[Words, ...] = ()
    inspect: Limits = Limits()
    waved: tuple[Waved, ...] = ()
    plan: PlanSettings = PlanSettings()
    left_out: tuple[tuple[str, int], ...] = ()
    last_key: Annotated[int, msgspec.Meta(ge=0, le=_LAST_KEY)] = 0


_MARKS = "marks.json"


class _Format(msgspec.Struct):
    format: int


def save_job(job: Job, target: File, marks: Mapping[str, Job] | None = None) -> None:
    """Write `job` to `target`, whole or not at all, and check that it reads back.

    `marks` are kept along with it, under their names; they have the job's own picture.

    Raises
    ------
    FileError
        If the file cannot be written.

    """
    write_whole(
        target,
        job_bytes(job, marks),
        lambda written: _discard(job_from_bytes(written, target.name)),
    )


def load_job(source: File) -> Job:
    """Return the job in `source`.

    Raises
    ------
    FileError
        If it is no job file, is cut short or damaged, or was made by a newer program.

    """
    return job_from_bytes(read_bytes(source), source.name)


def load_marks(source: File) -> dict[str, Job]:
    """Return the marks that a job file keeps, by their names.

    Raises
    ------
    FileError
        As :func:`load_job` does.

    """
    data = read_bytes(source)
    job = job_from_bytes(data, source.name)
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        if _MARKS not in archive.namelist():
            return {}
        text = _member(archive, _MARKS, MOST_JOB, source.name)
    rehearse_json(text, source.name, FileError)
    try:
        records = msgspec.json.decode(text, type=dict[str, msgspec.Raw])
        return {name: _job(_migrated(raw), job.picture) for name, raw in records.items()}
    except (msgspec.MsgspecError, SilhuetaError, KeyError, TypeError, ValueError) as error:
        raise FileError(
            f"the marks in {source.name} are damaged ({str(error)[:120]}); take an older copy"
        ) from error


def job_bytes(job: Job, marks: Mapping[str, Job] | None = None) -> bytes:
    """Return `job`, and marks beside it, as the bytes of a job file."""
    record = _record(job)
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w") as archive:
        text = msgspec.json.format(msgspec.json.encode(record), indent=1)
        archive.writestr("job.json", text, zipfile.ZIP_DEFLATED)
        if marks:
            kept = {name: _record(marked) for name, marked in marks.items()}
            archive.writestr(_MARKS, msgspec.json.encode(kept), zipfile.ZIP_DEFLATED)
        if job.picture is not None and record.picture is not None:
            archive.writestr(record.picture, job.picture.data, zipfile.ZIP_STORED)
    return stream.getvalue()


def record_bytes(job: Job) -> bytes:
    """Return all of `job` but its picture, as job.json has it: small, however large the photo."""
    return msgspec.json.encode(_record(job))


def job_of_record(record: bytes, picture: PictureFile | None, name: str) -> Job:
    """Return the job of a record, with the picture that was kept beside it.

    `name` is what the record is called, where it is damaged.

    Raises
    ------
    FileError
        As :func:`load_job` does.

    """
    rehearse_json(record, name, FileError)
    try:
        return _job(_migrated(record), picture)
    except _DAMAGED as error:
        raise FileError(f"{name} is damaged ({_wrong(error)}); take an older copy of it") from error


def _record(job: Job) -> _JobRecord:
    name = "" if job.picture is None else readable(File(job.picture.name).name)
    stored = None if job.picture is None else f"picture/{name or 'picture'}"
    return _JobRecord(
        format=FORMAT,
        program=f"Silhueta {__version__}",
        name=readable(job.name),
        picture=stored,
        datums=job.datums,
        trace=job.trace,
        cut_file=job.cut_file,
        traced=job.traced,
        outline=[_contour_record(contour) for contour in job.outline.contours],
        page=0 if job.picture is None else job.picture.page,
        page_dpi=None if job.picture is None else job.picture.dpi,
        optics=job.optics,
        clean=job.clean,
        tidy=job.tidy,
        frame=job.page,
        relations=job.relations,
        calipers=job.calipers,
        zero=job.zero,
        words=job.words,
        inspect=job.inspect,
        waved=job.waved,
        plan=job.plan,
        left_out=job.left_out,
        last_key=job.last_key,
    )


def job_from_bytes(data: bytes, name: str) -> Job:
    """Return the job in the bytes of a job file; see :func:`load_job`."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            text = _member(archive, "job.json", MOST_JOB, name)
            rehearse_json(text, name, FileError)
            version = msgspec.json.decode(text, type=_Format).format
            if version > FORMAT:
                raise FileError(
                    f"{name} was saved by a newer Silhueta (format {version}, this one reads "
                    f"{FORMAT}); update the program to open it"
                )
            record = _migrated(text)
            picture = None
            if record.picture is not None:
                inside = _member(archive, record.picture, _MOST_PICTURE, name)
                picture = PictureFile(
                    inside, File(record.picture).name, record.page, record.page_dpi
                )
        return _job(record, picture)
    except FileError:
        raise
    except (zipfile.BadZipFile, zlib.error, EOFError) as error:
        raise FileError(f"{name} is cut short or no job file; take an older copy of it") from error
    except _DAMAGED as error:
        raise FileError(f"{name} is damaged ({_wrong(error)}); take an older copy of it") from error
    except (NotImplementedError, RuntimeError, MemoryError) as error:
        raise FileError(
            f"{name} is packed in a way that cannot be read; take an older copy"
        ) from error


def _wrong(error: Exception) -> str:
    """Return what is wrong with a job, in words of ours."""
    if isinstance(error, msgspec.ValidationError):
        found = re.search(r"at `\$\.?([^`]*)`", str(error))
        what = found[1].replace("[...]", "") if found else ""
        return f"“{what}” is not what it should be" if what else "an entry is not what it should be"
    if isinstance(error, SilhuetaError):
        return str(error)[:120]
    return "what it says of the job cannot be understood"


def _migrated(text: bytes | msgspec.Raw) -> _JobRecord:
    """Return the record of a job in any format, brought up to the present one step by step."""
    version = msgspec.json.decode(text, type=_Format).format
    if version == FORMAT:
        return msgspec.json.decode(text, type=_JobRecord)
    content: dict[str, Any] = msgspec.json.decode(text)
    return msgspec.convert(migrated(content, version, _MIGRATIONS), type=_JobRecord)


def _to_5(content: dict[str, Any]) -> None:
    """Put what an outline was traced from into one place."""
    stamp = content.get("traced")
    if isinstance(stamp, dict):
        names = [name for name in ("datums", "settings", "optics", "clean") if name in stamp]
        stamp["inputs"] = {name: stamp.pop(name) for name in names}


def _to_6(content: dict[str, Any]) -> None:
    """Keep the version of a DXF among the options of its format."""
    plan = content.get("cut_file")
    if isinstance(plan, dict) and "dxf_version" in plan:
        plan["options"] = [["dxf.version", plan.pop("dxf_version")]]


_MIGRATIONS: dict[int, Migration] = {5: _to_5, 6: _to_6}


def _job(record: _JobRecord, picture: PictureFile | None) -> Job:
    return Job(
        name=record.name,
        picture=picture,
        datums=record.datums,
        optics=record.optics,
        clean=record.clean,
        trace=record.trace,
        outline=Outline(tuple(_contour(entry) for entry in record.outline)),
        traced=record.traced,
        tidy=record.tidy,
        page=record.frame,
        relations=record.relations,
        calipers=record.calipers,
        zero=record.zero,
        words=record.words,
        inspect=record.inspect,
        waved=record.waved,
        plan=record.plan,
        left_out=record.left_out,
        cut_file=record.cut_file,
        last_key=record.last_key,
    )


def _member(archive: zipfile.ZipFile, member: str, most: int, name: str) -> bytes:
    info = archive.getinfo(member)
    if info.file_size > most:
        raise FileError(f"{name} unpacks to more than can be held; it is no job of ours")
    with archive.open(info) as file:
        return file.read(most)


def _contour_record(contour: Contour) -> _ContourRecord:
    path = contour.path
    curved = bool(path.controls.any())
    return _ContourRecord(
        closed=path.closed,
        nodes=path.nodes.tolist(),
        kinds=path.kinds.tolist(),
        bulges=path.bulges.tolist(),
        controls=path.controls.tolist() if curved else [],
        taken=contour.taken,
        operation=contour.operation,
        origin=contour.origin,
        locked=contour.locked,
        colour=contour.colour,
        chosen=contour.chosen,
        key=contour.key,
        mirrored=contour.mirrored,
        group=contour.group,
    )


def _contour(record: _ContourRecord) -> Contour:
    made = Loop if record.closed else OpenPath
    controls = (
        np.array(record.controls).reshape(-1, 2, 2) if record.controls else np.zeros((0, 2, 2))
    )
    if not {0, 1, 2}.issuperset(record.kinds):
        raise GeometryError("a segment is neither line, arc nor curve")
    path = made(
        np.array(record.nodes, np.float64).reshape(-1, 2),
        np.array(record.kinds, np.uint8),
        np.array(record.bulges, np.float64),
        controls,
    )
    if not within_reach(path):
        raise GeometryError("an outline reaches farther than ten kilometres")
    state = (record.taken, record.operation, record.origin, record.locked, record.colour)
    return Contour(
        path,
        *state,
        chosen=record.chosen,
        key=record.key,
        mirrored=record.mirrored,
        group=record.group,
    )


def _discard(_: object) -> None:
    """Take what was only read to see that it can be."""
