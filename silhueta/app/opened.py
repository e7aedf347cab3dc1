"""What a picture or job file gives when it is opened, worked out beside the interface."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from pathlib import Path as File
from typing import TYPE_CHECKING, NamedTuple

from silhueta.app.tracing import look_ahead, measured_ahead
from silhueta.core.datums import Datum, DpiDatum
from silhueta.core.errors import FileError
from silhueta.core.job import Job, PictureFile, set_picture
from silhueta.core.work import Work

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from silhueta.app.drawing_questions import Wanted
    from silhueta.core.files.drawing_open import DrawingOffer, Opening
    from silhueta.core.picture.decode import Picture


@dataclass(frozen=True, eq=False)
class Opened:
    """A job, its decoded picture, and the job file it came from, if it did."""

    job: Job
    picture: Picture | None
    file: File | None
    marks: dict[str, Job] = field(default_factory=dict)
    colours: NDArray[np.uint8] | None = None


def open_file(source: File, work: Work) -> Opened | DrawingOffer:
    """Return what `source`, a job or a picture, holds; an offer when there are outlines in it.

    Raises
    ------
    FileError, PictureError
        As the readers do.

    """
    from silhueta.core.files.job_file import SUFFIX, load_job, load_marks
    from silhueta.core.picture.decode import read_picture_file

    if source.is_dir():
        raise FileError(f"{source} is a folder; choose a picture or a job in it")
    with work.stage("read"):
        if source.suffix.lower() == SUFFIX:
            opened = open_job(load_job(source), source)
            return replace(opened, marks=load_marks(source))
        picture = read_picture_file(source)
        if source.suffix.lower() in (".svg", ".dxf"):
            from silhueta.core.files.drawing_open import drawing_offer

            offer = drawing_offer(picture)
            if offer.drawing is not None:
                return offer
        return open_picture(picture)


class LaidOut(NamedTuple):
    """The outlines of a drawing as a person wants them, and what was answered."""

    offer: DrawingOffer
    want: Wanted
    opening: Opening


def lay_out(offer: DrawingOffer, want: Wanted) -> LaidOut:
    """Return the outlines of a drawing as a person wants them."""
    opening = offer.job(want.units, want.widen, want.overlaps, want.layers)
    measured_ahead(opening.job.outline)
    return LaidOut(offer, want, opening)


def open_picture(source: PictureFile) -> Opened:
    """Return a new job that begins with a picture, its scale from the file where it has one."""
    from silhueta.core.picture.decode import decode, decode_colour

    picture = decode(source)
    colours = decode_colour(source)
    datum: Datum | None = None if picture.dpi is None else DpiDatum(picture.dpi, "file")
    if datum is None or picture.focal35 is not None:  # a camera's photo: its dpi means nothing
        from silhueta.core.datum.look_for import look_for_any

        datum = look_for_any(picture, colours=colours)
    from silhueta.core.trace.job_trace import read_job, thickness_asked

    name = File(source.name).stem.replace("_", " ").strip() or "Untitled"
    job = set_picture(Job(), source, name[:1].upper() + name[1:], datum)
    read = read_job(job, picture, colours=colours)[0]
    look_ahead(picture, colours)
    return Opened(thickness_asked(read), picture, None, colours=colours)


def open_job(job: Job, file: File | None) -> Opened:
    """Return a job with its picture decoded."""
    from silhueta.core.picture.decode import decode, decode_colour

    if job.picture is None:
        return Opened(job, None, file)
    picture, colours = decode(job.picture), decode_colour(job.picture)
    look_ahead(picture, colours)
    return Opened(job, picture, file, colours=colours)
