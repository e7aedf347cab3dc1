"""A job as what is new in it since another one, so that a step takes the room of a step.

Words used here
    field     a part of a job, as its record has it (files.job_record), by its name
    number    by which a contour, or a picture, is known in one journal
    splice    which of the contours before are gone, and which came in their place
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from typing import Any, get_type_hints

import msgspec
import numpy as np

from silhueta.core.errors import GeometryError
from silhueta.core.files import job_record
from silhueta.core.files.job_record import FORMAT, JobRecord, job_of, record_in, record_of
from silhueta.core.geometry.outline import Contour, Operation, Origin, Outline
from silhueta.core.geometry.path import Loop, OpenPath
from silhueta.core.job import Job, PictureFile

_ALIVE = 500_000  # nodes of contours that are gone and still known, for undo: about 20 MB
_APART = ("format", "program", "picture", "outline", "page", "page_dpi")  # told by other means


class Kept(msgspec.Struct, array_like=True):
    """A contour, its numbers as the memory has them: float64, the least byte first."""

    closed: bool
    nodes: bytes
    kinds: bytes
    bulges: bytes
    controls: bytes
    taken: bool
    operation: Operation
    origin: Origin
    locked: bool
    colour: tuple[int, int, int] | None
    chosen: bool
    key: int
    mirrored: bool
    group: int


class Delta(msgspec.Struct, omit_defaults=True):
    """What is new in a job.

    Parameters
    ----------
    fields : mapping of str to bytes
        JSON of what changed.
    splice : (first, gone, numbers) or None
        None: the outline is the same.
    contours : mapping of int to Kept
        Those of the numbers that are new.
    picture : (number, name, page, dpi) or None
        None: the same; number -1: none.

    """

    fields: dict[str, bytes] = {}
    splice: tuple[int, int, tuple[int, ...]] | None = None
    contours: dict[int, Kept] = {}
    picture: tuple[int, str, int, float | None] | None = None


class Telling:
    """Tells jobs one after the other, each by what is new in it.

    Attributes
    ----------
    pictures : list of bytes
        To be written before the next delta, in their numbers' order; the caller empties it.

    """

    def __init__(self) -> None:
        self.pictures: list[bytes] = []
        self._record: JobRecord | None = None
        self._contours: tuple[Contour, ...] = ()
        self._numbers: list[int] = []
        self._known: dict[int, int] = {}  # by identity of a contour that is alive in `_alive`
        self._alive: dict[int, Contour] = {}
        self._next = 0
        self._nodes = 0  # of all that are alive
        self._data: list[bytes] = []  # of the pictures told
        self._picture: PictureFile | None = None

    def tell(self, job: Job) -> Delta:
        """Return what is new in a job since the last one that was told."""
        record = record_of(job, contours=False)
        delta = Delta(fields=self._new_fields(record))
        if self._record is None or job.picture is not self._picture:
            delta.picture = self._told_picture(job.picture)
        if self._record is None or job.outline.contours is not self._contours:
            self._splice(delta, job.outline.contours)
        self._record, self._picture = record, job.picture
        return delta

    def _new_fields(self, record: JobRecord) -> dict[str, bytes]:
        found = {}
        for name in JobRecord.__struct_fields__:
            if name in _APART:
                continue
            value = getattr(record, name)
            old = None if self._record is None else getattr(self._record, name)
            if self._record is None or (value is not old and value != old):
                found[name] = msgspec.json.encode(value)
        return found

    def _told_picture(self, picture: PictureFile | None) -> tuple[int, str, int, float | None]:
        if picture is None:
            return (-1, "", 0, None)
        known = [number for number, data in enumerate(self._data) if data is picture.data]
        number = known[0] if known else len(self._data)
        if not known:
            self._data.append(picture.data)
            self.pictures.append(picture.data)
        return (number, picture.name, picture.page, picture.dpi)

    def _splice(self, delta: Delta, contours: tuple[Contour, ...]) -> None:
        """Put in which contours are new: all between what is the same at both ends."""
        old = self._contours
        first = 0
        while first < min(len(old), len(contours)) and old[first] is contours[first]:
            first += 1
        last = 0
        while last < min(len(old), len(contours)) - first and old[-1 - last] is contours[-1 - last]:
            last += 1
        numbers = []
        for contour in contours[first : len(contours) - last]:
            number = self._known.get(id(contour))
            if number is None:
                number, self._next = self._next, self._next + 1
                self._known[id(contour)] = number
                self._alive[number] = contour
                self._nodes += len(contour.path.nodes)
                delta.contours[number] = kept(contour)
            numbers.append(number)
        gone = len(old) - first - last
        if gone or numbers or self._record is None:
            delta.splice = (first, gone, tuple(numbers))
            self._numbers[first : first + gone] = numbers
        self._contours = contours
        self._forget()

    def _forget(self) -> None:
        """Let go of contours that are no more, once they are large: undo tells them anew."""
        now = set(self._numbers)
        if self._nodes <= _ALIVE + 2 * sum(len(self._alive[n].path.nodes) for n in now):
            return
        for number in [number for number in self._alive if number not in now]:
            gone = self._alive.pop(number)
            self._nodes -= len(gone.path.nodes)
            del self._known[id(gone)]


def kept(contour: Contour) -> Kept:
    """Return a contour as it is kept."""
    path = contour.path
    return Kept(
        path.closed,
        np.ascontiguousarray(path.nodes, "<f8").tobytes(),
        np.ascontiguousarray(path.kinds, np.uint8).tobytes(),
        np.ascontiguousarray(path.bulges, "<f8").tobytes(),
        np.ascontiguousarray(path.controls, "<f8").tobytes() if path.controls.any() else b"",
        contour.taken,
        contour.operation,
        contour.origin,
        contour.locked,
        contour.colour,
        contour.chosen,
        contour.key,
        contour.mirrored,
        contour.group,
    )


def contour_kept(kept: Kept) -> Contour:
    """Return the contour that was kept.

    Raises
    ------
    GeometryError, ValueError
        If it is none.

    """
    made = Loop if kept.closed else OpenPath
    kinds = np.frombuffer(kept.kinds, np.uint8)
    if len(kinds) and int(kinds.max()) > 2:
        raise GeometryError("a segment is neither line, arc nor curve")
    path = made(
        np.frombuffer(kept.nodes, "<f8").reshape(-1, 2),
        kinds,
        np.frombuffer(kept.bulges, "<f8"),
        np.frombuffer(kept.controls, "<f8").reshape(-1, 2, 2),
    )
    return Contour(
        path,
        kept.taken,
        kept.operation,
        kept.origin,
        kept.locked,
        kept.colour,
        chosen=kept.chosen,
        key=kept.key,
        mirrored=kept.mirrored,
        group=kept.group,
    )


class State:
    """A job as its deltas tell it: cheap to keep, made a job when one is wanted."""

    def __init__(self, hearing: Hearing) -> None:
        self._hearing = hearing
        self.fields: dict[str, bytes] = {}
        self.numbers: tuple[int, ...] = ()
        self.picture: tuple[int, str, int, float | None] = (-1, "", 0, None)

    def after(self, delta: Delta) -> State:
        """Return the state once a delta was taken in."""
        new = State(self._hearing)
        new.fields = {**self.fields, **delta.fields} if delta.fields else self.fields
        new.numbers, new.picture = self.numbers, delta.picture or self.picture
        if delta.splice is not None:
            first, gone, numbers = delta.splice
            new.numbers = (*self.numbers[:first], *numbers, *self.numbers[first + gone :])
        return new

    def job(self) -> Job:
        """Return the job.

        Raises
        ------
        what `files.job_record.DAMAGED` lists
            If it is none.

        """
        return self._hearing.job(self)


class Hearing:
    """Makes jobs of deltas; what they share is made once.

    Parameters
    ----------
    form : int
        Of jobs, as the journal was written with; an older one is brought up to today's.
    contours : callable of int
        Returns the new contours of a delta, by where it lies: they are many, and few are wanted.

    """

    def __init__(self, form: int, contours: Callable[[int], dict[int, Kept]]) -> None:
        self.pictures: list[bytes] = []
        self._form, self._read = form, contours
        self._where: dict[int, int] = {}
        self._contours: dict[int, Contour] = {}
        self._values: dict[tuple[str, bytes], Any] = {}
        self._files: dict[tuple[int, str, int, float | None], PictureFile] = {}
        self._types = get_type_hints(JobRecord, vars(job_record), include_extras=True)

    def hear(self, state: State, delta: Delta, at: int) -> State:
        """Return the state that a delta leads to; `at`: where it lies."""
        self._where.update(dict.fromkeys(delta.contours, at))
        return state.after(delta)

    def job(self, state: State) -> Job:
        """Return the job of a state; see `State.job`."""
        number, name, page, dpi = state.picture
        picture = None
        if number >= 0:
            picture = self._files.setdefault(
                state.picture, PictureFile(self.pictures[number], name, page, dpi)
            )
        self._fetch(state.numbers)
        contours = tuple(self._contours[number] for number in state.numbers)
        made = job_of(self._record(state), picture)
        return replace(made, outline=Outline(contours), last_key=made.last_key)

    def _record(self, state: State) -> JobRecord:
        if self._form != FORMAT:
            told = b",".join(
                msgspec.json.encode(name) + b":" + value for name, value in state.fields.items()
            )
            head = msgspec.json.encode(
                {"format": self._form, "program": "", "picture": None, "outline": []}
            )
            return record_in(head[:-1] + b"," + told + b"}" if told else head)
        values = {name: self._value(name, text) for name, text in state.fields.items()}
        return JobRecord(format=FORMAT, program="", picture=None, outline=[], **values)

    def _value(self, name: str, text: bytes) -> Any:
        found = self._values.get((name, text))
        if found is None:
            found = msgspec.json.decode(text, type=self._types[name])
            self._values[name, text] = found
        return found

    def _fetch(self, numbers: Sequence[int]) -> None:
        """Make the contours that are wanted and were not made yet."""
        missing = {number for number in numbers if number not in self._contours}
        for at in sorted({self._where[number] for number in missing}):
            for number, one in self._read(at).items():
                if number in missing:
                    self._contours[number] = contour_kept(one)
