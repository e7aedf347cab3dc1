"""The job file: a ZIP archive with the picture as it came and a readable job.json.

Words used here
    member    a file in the archive: ``job.json``, ``picture/NAME``; and for whoever has no Silhueta
              ``outline.svg`` at its size and ``preview.png``
"""

from __future__ import annotations

import io
import zipfile
import zlib
from collections.abc import Mapping
from pathlib import Path as File

import msgspec

from silhueta.core.apart.rehearse import rehearse_json
from silhueta.core.cutting.drawing import draw
from silhueta.core.errors import FileError, SilhuetaError
from silhueta.core.files.atomic import read_bytes, write_whole
from silhueta.core.files.job_record import (
    DAMAGED,
    FORMAT,
    Format,
    job_of,
    record_in,
    record_of,
    what_is_wrong,
)
from silhueta.core.files.limits import MOST_JOB
from silhueta.core.files.preview import preview
from silhueta.core.files.svg_write import svg_bytes
from silhueta.core.job import Job, PictureFile

SUFFIX = ".silhueta"
_MOST_PICTURE = 1_000_000_000
OUTLINE, PREVIEW = "outline.svg", "preview.png"
_MARKS = "marks.json"


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
        return {name: job_of(record_in(raw), job.picture) for name, raw in records.items()}
    except (msgspec.MsgspecError, SilhuetaError, KeyError, TypeError, ValueError) as error:
        raise FileError(
            f"the marks in {source.name} are damaged ({str(error)[:120]}); take an older copy"
        ) from error


def job_bytes(job: Job, marks: Mapping[str, Job] | None = None) -> bytes:
    """Return `job`, and marks beside it, as the bytes of a job file."""
    record = record_of(job)
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w") as archive:
        text = msgspec.json.format(msgspec.json.encode(record), indent=1)
        archive.writestr("job.json", text, zipfile.ZIP_DEFLATED)
        if marks:
            kept = {name: record_of(marked) for name, marked in marks.items()}
            archive.writestr(_MARKS, msgspec.json.encode(kept), zipfile.ZIP_DEFLATED)
        if job.picture is not None and record.picture is not None:
            archive.writestr(record.picture, job.picture.data, zipfile.ZIP_STORED)
        drawn = _outline(job)
        if drawn is not None:
            archive.writestr(OUTLINE, drawn, zipfile.ZIP_DEFLATED)
        archive.writestr(PREVIEW, preview(job), zipfile.ZIP_STORED)
    return stream.getvalue()


def _outline(job: Job) -> bytes | None:
    """Return the outline as an SVG at its size; None where there is none that can be drawn."""
    if not job.outline.taken:
        return None
    try:
        return svg_bytes(draw(job.outline))
    except SilhuetaError:  # shapes that no cut file can hold stay in job.json
        return None


def job_from_bytes(data: bytes, name: str, *, pictured: bool = True) -> Job:
    """Return the job in the bytes of a job file; see :func:`load_job`.

    Without `pictured` its picture, which may be large, is left out.
    """
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            text = _member(archive, "job.json", MOST_JOB, name)
            rehearse_json(text, name, FileError)
            version = msgspec.json.decode(text, type=Format).format
            if version > FORMAT:
                raise FileError(
                    f"{name} was saved by a newer Silhueta (format {version}, this one reads "
                    f"{FORMAT}); update the program to open it"
                )
            record = record_in(text)
            picture = None
            if record.picture is not None and pictured:
                inside = _member(archive, record.picture, _MOST_PICTURE, name)
                picture = PictureFile(
                    inside, File(record.picture).name, record.page, record.page_dpi
                )
        return job_of(record, picture)
    except FileError:
        raise
    except (zipfile.BadZipFile, zlib.error, EOFError) as error:
        raise FileError(f"{name} is cut short or no job file; take an older copy of it") from error
    except DAMAGED as error:
        raise FileError(
            f"{name} is damaged ({what_is_wrong(error)}); take an older copy of it"
        ) from error
    except (NotImplementedError, RuntimeError, MemoryError) as error:
        raise FileError(
            f"{name} is packed in a way that cannot be read; take an older copy"
        ) from error


def _member(archive: zipfile.ZipFile, member: str, most: int, name: str) -> bytes:
    info = archive.getinfo(member)
    if info.file_size > most:
        raise FileError(f"{name} unpacks to more than can be held; it is no job of ours")
    with archive.open(info) as file:
        return file.read(most)


def _discard(_: object) -> None:
    """Take what was only read to see that it can be."""
