"""A job as its file has it: every part as plain values, and how older forms become today's.

Words used here
    format    the number that job.json carries; a reader takes its own and older ones, and says so
              when it meets a newer one
    record    all of a job but its picture's bytes
"""

from __future__ import annotations

import re
from pathlib import Path as File
from typing import Annotated, Any

import msgspec
import numpy as np

from silhueta import __version__
from silhueta.core.apart.rehearse import rehearse_json
from silhueta.core.card import Card
from silhueta.core.datums import Datum, Optics
from silhueta.core.errors import FileError, GeometryError, SilhuetaError
from silhueta.core.files.limits import MOST_PAGES
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

# The number that job.json carries: one more whenever what it holds takes another form, so that an
# older program refuses what it cannot know, instead of losing it.
# 2: datums page, sheet, gauge, round; optics; clean. 3: modes, patches, colours. 4: reading,
# light, height of the datum, doubts
# 5: what an outline was traced from in one place; limits of Tidy, an imported page
# 6: what was chosen of a format of cut files, by name
# 7: what the part is held against at Inspect, what was waved through
# 8: how it is cut
# 9: what a person says of it
FORMAT = 9  # raised when the card came in; what it is for stands above
_LAST_KEY = 10**12  # more than any hand gives

# what reading a damaged record may raise
DAMAGED = (
    msgspec.MsgspecError,
    SilhuetaError,
    KeyError,
    TypeError,
    ValueError,
    OverflowError,  # a number that no array holds
)


class ContourRecord(msgspec.Struct, forbid_unknown_fields=False):
    """A contour: places in mm, kinds of segments (0 line, 1 arc, 2 curve), and its state."""

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


class JobRecord(msgspec.Struct):
    """A job; `picture` is the member of the archive that holds its picture."""

    format: int
    program: str
    name: str
    picture: str | None
    datums: tuple[Datum, ...]
    trace: TraceSettings
    cut_file: CutFileSettings
    traced: TraceStamp | None
    outline: list[ContourRecord]
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
    card: Card = Card()
    last_key: Annotated[int, msgspec.Meta(ge=0, le=_LAST_KEY)] = 0


class Format(msgspec.Struct):
    """The number alone, to be read before anything else."""

    format: int


def record_bytes(job: Job) -> bytes:
    """Return all of `job` but its picture, as job.json has it: small, however large the photo."""
    return msgspec.json.encode(record_of(job))


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
        return job_of(record_in(record), picture)
    except DAMAGED as error:
        raise FileError(
            f"{name} is damaged ({what_is_wrong(error)}); take an older copy of it"
        ) from error


def record_of(job: Job, *, contours: bool = True) -> JobRecord:
    """Return a job as plain values; without `contours` its outline is left out."""
    name = "" if job.picture is None else readable(File(job.picture.name).name)
    stored = None if job.picture is None else f"picture/{name or 'picture'}"
    return JobRecord(
        format=FORMAT,
        program=f"Silhueta {__version__}",
        name=readable(job.name),
        picture=stored,
        datums=job.datums,
        trace=job.trace,
        cut_file=job.cut_file,
        traced=job.traced,
        outline=[contour_record(one) for one in job.outline.contours] if contours else [],
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
        card=job.card,
        last_key=job.last_key,
    )


def what_is_wrong(error: Exception) -> str:
    """Return what is wrong with a job, in words of ours."""
    if isinstance(error, msgspec.ValidationError):
        found = re.search(r"at `\$\.?([^`]*)`", str(error))
        what = found[1].replace("[...]", "") if found else ""
        return f"“{what}” is not what it should be" if what else "an entry is not what it should be"
    if isinstance(error, SilhuetaError):
        return str(error)[:120]
    return "what it says of the job cannot be understood"


def record_in(text: bytes | msgspec.Raw) -> JobRecord:
    """Return the record of a job in any format, brought up to the present one step by step."""
    version = msgspec.json.decode(text, type=Format).format
    if version == FORMAT:
        return msgspec.json.decode(text, type=JobRecord)
    content: dict[str, Any] = msgspec.json.decode(text)
    return msgspec.convert(migrated(content, version, _MIGRATIONS), type=JobRecord)


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


def job_of(record: JobRecord, picture: PictureFile | None) -> Job:
    """Return the job of a record; raises what `DAMAGED` lists where it is none."""
    return Job(
        name=record.name,
        picture=picture,
        datums=record.datums,
        optics=record.optics,
        clean=record.clean,
        trace=record.trace,
        outline=Outline(tuple(contour_of(entry) for entry in record.outline)),
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
        card=record.card,
        cut_file=record.cut_file,
        last_key=record.last_key,
    )


def contour_record(contour: Contour) -> ContourRecord:
    """Return a contour as plain values."""
    path = contour.path
    curved = bool(path.controls.any())
    return ContourRecord(
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


def contour_of(record: ContourRecord) -> Contour:
    """Return the contour of a record; raises what `DAMAGED` lists where it is none."""
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
