"""What a shelf says of a job file, read without its picture."""

from __future__ import annotations

import io
import zipfile
import zlib
from pathlib import Path as File
from typing import IO, NamedTuple

from silhueta.core.errors import FileError
from silhueta.core.files.job_file import PREVIEW, job_from_bytes
from silhueta.core.files.limits import MOST_FILE
from silhueta.core.files.preview import preview
from silhueta.core.job import Job
from silhueta.core.whole_file import read_whole

_PREVIEW = 400_000  # bytes of a preview at most: ours have 4 to 20 kB


class Entry(NamedTuple):
    """A job file on a shelf.

    Parameters
    ----------
    file : str
        Its name in the shelf's folder.
    name, description, words, maker, customer : str
        Of the job and its card; words with commas between.
    material, process : str
        As it was planned; "" where it was not.
    width, height : float, mm
        Of what is worked; 0 where nothing is.
    picture : bytes
        A small PNG.
    wrong : str
        Why it cannot be read, in words; all else is empty then.
    saved, used : float
        When it was written, and last opened from the shelf; seconds since 1970.

    """

    file: str
    name: str = ""
    description: str = ""
    words: str = ""
    maker: str = ""
    customer: str = ""
    material: str = ""
    process: str = ""
    width: float = 0.0
    height: float = 0.0
    picture: bytes = b""
    wrong: str = ""
    saved: float = 0.0
    used: float = 0.0

    @property
    def size(self) -> str:
        """Width and height in words; "" where nothing is worked."""
        return f"{self.width:.1f} x {self.height:.1f} mm" if self.width or self.height else ""


def entry_of(file: File) -> Entry:
    """Return what a job file says of itself; what is wrong with it where it cannot be read."""
    try:
        data = read_whole(file, MOST_FILE, FileError)  # what writers left is seen to by the shelf
        job = job_from_bytes(data, file.name, pictured=False)
    except FileError as error:
        return Entry(file.name, wrong=str(error))
    return described(job, file.name, picture_in(io.BytesIO(data)) or b"")


def described(job: Job, file: str, picture: bytes = b"") -> Entry:
    """Return the entry of a job."""
    width = height = 0.0
    if job.outline.taken:
        left, bottom, right, top = job.outline.bounds
        width, height = right - left, top - bottom
    card = job.card
    return Entry(
        file,
        job.name,
        card.description,
        ", ".join(card.words),
        card.maker,
        card.customer,
        job.inspect.material or "",
        job.inspect.process or "",
        width,
        height,
        picture or preview(job),
    )


def picture_in(file: File | IO[bytes]) -> bytes | None:
    """Return the small PNG in a job file, b"" where it has none; None where there is no file."""
    try:
        with zipfile.ZipFile(file) as archive:
            if PREVIEW in archive.namelist() and archive.getinfo(PREVIEW).file_size < _PREVIEW:
                return archive.read(PREVIEW)
            return b""
    except (OSError, ValueError, zipfile.BadZipFile, zlib.error, EOFError, RuntimeError):
        return None
