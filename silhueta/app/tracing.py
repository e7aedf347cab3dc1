"""Keeps the outline in step with the job: traces anew beside the interface when it is stale."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal

from silhueta.app.session import Session
from silhueta.app.work import Bench
from silhueta.core.errors import TooMuchError
from silhueta.core.job import Job, is_stale, set_outline
from silhueta.core.remembered import Remembered
from silhueta.core.work import Work

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from silhueta.app.table.picture_layer import PictureLayer
    from silhueta.core.datum.rectify import Rectified
    from silhueta.core.fitting.deviation import Deviation
    from silhueta.core.geometry.outline import Outline
    from silhueta.core.picture.decode import Picture
    from silhueta.core.trace.job_trace import TracedJob
    from silhueta.core.trace.stages import Stages
    from silhueta.core.trace.trace import Traced


# what came of the trace, if there was one; the picture at true size, its colours, its light
Result = tuple["TracedJob | None", "Rectified", "NDArray[np.uint8]", str]
# colours of the photo and of the picture at true size, as they are shown; None where cleaning
# works on greys (even light, a dropped colour): then those are
ShownColours = tuple["NDArray[np.uint8] | None", "NDArray[np.uint8] | None"]


class Tracing(QObject):
    """Listens to the session; puts each finished trace into the job it was asked for."""

    changed = Signal()  # busy or failed or neither
    flattened = Signal(object)  # Rectified: the picture of the present job at true size

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.bench = Bench(self)
        self.picture: Picture | None = None
        self.counts = [0] * 256
        self.failure = ""
        self.proposal: TooMuchError | None = None
        self._traced: Traced | None = None
        self._traced_for: object = None  # the outline that it belongs to
        self.flat: Rectified | None = None
        self._flat_for: object = None
        self.stages: Stages | None = None
        self._layer: PictureLayer | None = None
        self.colours: NDArray[np.uint8] | None = None  # of the photo
        self.flat_colours: NDArray[np.uint8] | None = None  # at true size
        self.shown_colours: ShownColours = (None, None)
        self.light: str | None = None  # how the picture was blended
        self._asked: Job | None = None
        self.bench.done.connect(self._on_done)
        self.bench.failed.connect(self._on_failed)
        self.bench.ended.connect(self.changed)
        session.job_changed.connect(self._refresh)

    def set_picture(
        self, picture: Picture | None, colours: NDArray[np.uint8] | None = None
    ) -> None:
        """Take the decoded picture, and its colours, of the job that follows."""
        self.bench.stop()
        self.picture, self.failure, self._asked = picture, "", None
        self.flat, self._flat_for, self.stages, self._layer = None, None, None, None
        self._traced, self._traced_for, self.proposal = None, None, None
        self.counts = [0] * 256 if picture is None else _counts(picture)
        self.colours, self.flat_colours, self.light = colours, None, None
        self.shown_colours = (None, None)

    @property
    def deviation(self) -> Deviation | None:
        """How far the present outline leaves the edge, mm, where that has been worked out."""
        return None if self._present is None else self._present.deviation

    @property
    def line_width(self) -> float | None:
        """The width of a drawing's pen, mm."""
        return None if self._present is None else self._present.line_width

    @property
    def _present(self) -> Traced | None:
        """What came of the trace of the present outline; undo may have brought another back."""
        return self._traced if self._traced_for is self._session.job.outline else None

    def size_sigma(self) -> tuple[float, float] | None:
        """Return how sure the outline's width and height are (95 %), mm, where that is known."""
        job = self._session.job
        if self.flat is None or self._flat_for != _flat_key(job) or not job.outline.taken:
            return None
        if not self.flat.solution.spread or is_stale(job):
            return None

        from silhueta.core.trace.job_trace import size_sigma

        wide, high = size_sigma(job, self.flat)
        return 2 * wide, 2 * high

    def cleaned(self) -> Picture | None:
        """Return the photo after its cleaning steps."""
        if self.picture is None or self.stages is None:
            return self.picture
        return self.stages.cleaned(self._session.job, self.picture)

    def colour_field(self) -> PictureLayer | None:
        """Return how far each pixel is from the picked colours, a grey a unit of difference."""
        from silhueta.app.table.picture_layer import PictureLayer

        made = None if self.stages is None else self.stages.colour_difference(self._session.job)
        if made is None:
            return None
        if self._layer is None or self._layer.picture is not made:
            self._layer = PictureLayer(made)
        return self._layer

    def _refresh(self, job: Job) -> None:
        picture = self.picture if job.picture is not None else None
        if picture is not None and not is_stale(job) and self._flat_for != _flat_key(job):
            if self._asked is None or not _same_inputs(job, self._asked):
                self._ask("Straightening", _flattened, job)
            return
        if picture is None or not is_stale(job):
            if self.bench.busy:
                self.bench.stop()
            self._asked = None  # what was stopped is asked for again when it is come back to
            if picture is not None and self.failure:
                self.failure = ""
                self.changed.emit()
            return
        if self._asked is not None and _same_inputs(job, self._asked):
            return  # under way, or failed already
        self._ask("Tracing", _traced, job)

    def _ask(self, label: str, make: Callable[..., Any], job: Job) -> None:
        from silhueta.core.trace.stages import Stages

        picture = self.picture
        stages = self.stages = self.stages or Stages()
        if self.colours is not None:
            stages.take_colours(job, self.colours)
        self._asked, self.failure, self.proposal = job, "", None
        colours = self.colours

        def made(work: Work) -> tuple[Result, ShownColours]:
            result = make(job, picture, work, stages)
            assert picture is not None
            return result, _shown(job, picture, colours, result, stages)

        self.bench.ask(label, made, job)
        self.changed.emit()

    def measure_deviation(self) -> None:
        """Work out the deviation of an outline that came with its job."""
        job = self._session.job
        if self.deviation is None and self.picture is not None and not is_stale(job):
            self._ask("Measuring", _traced, job)

    def _on_done(self, found: tuple[Result, ShownColours], asked: Job) -> None:
        (done, flat, colours, light), shown = found
        self._asked = None
        if not _same_inputs(self._session.job, asked):
            return
        if done is not None and self._session.job.outline is not asked.outline:
            self._refresh(self._session.job)  # changed by hand meanwhile: trace round that
            return
        self.flat, self._flat_for = flat, _flat_key(asked if done is None else done.job)
        self.flat_colours, self.light, self.shown_colours = colours, light, shown
        stale = is_stale(self._session.job)
        if done is not None:
            self._traced = done.traced
            self._traced_for = (done.job if stale else self._session.job).outline
        self.flattened.emit(flat)
        stamp = None if done is None else done.job.traced
        if done is not None and stamp is not None and stale:
            outline = done.job.outline
            self._session.amend(lambda job: set_outline(job, outline, stamp))

    def _on_failed(self, text: str) -> None:
        self.failure = text
        error = self.bench.error
        self.proposal = error if isinstance(error, TooMuchError) else None
        self.changed.emit()


def _counted(picture: Picture) -> list[int]:
    from silhueta.core.trace.edge.threshold import histogram

    counts: list[int] = histogram(picture.grey).tolist()
    return counts


_counts: Remembered[Picture, list[int]] = Remembered(_counted)  # how often each grey is there


def look_ahead(picture: Picture, colours: NDArray[np.uint8] | None) -> None:
    """Make ready what the interface will show of a picture that was opened, in any thread."""
    from silhueta.app.table.picture_layer import prepare

    prepare(picture, colours)
    _counts(picture)


def _traced(job: Job, picture: Picture, work: Work, stages: Stages) -> Result:
    from silhueta.core.trace.job_trace import trace_job  # brings the compiler along

    done = trace_job(job, picture, work, stages)
    measured_ahead(done.job.outline)
    return (
        done,
        done.rectified,
        stages.flat_colours(job, picture, work),
        stages.blend(job, picture).light,
    )


def _shown(
    job: Job,
    picture: Picture,
    colours: NDArray[np.uint8] | None,
    result: Result,
    stages: Stages,
) -> ShownColours:
    """Return the colours that are shown, and make ready what the table paints of the pictures."""
    from silhueta.app.table.picture_layer import prepare
    from silhueta.core.picture.clean import colours_painted

    flat = result[1]
    flat_colours: NDArray[np.uint8] | None = result[2]
    photo = colours_painted(colours, job.clean, not job.trace.invert)
    if photo is None:
        flat_colours = None
    elif photo is not colours:
        flat_colours = flat.resample(photo).astype(photo.dtype, copy=False)
    cleaned = stages.cleaned(job, picture)
    if cleaned is not picture:
        prepare(cleaned, photo)
    if flat.picture is not cleaned:
        prepare(flat.picture, flat_colours)
    return photo, flat_colours


def measured_ahead(outline: Outline) -> None:
    """Work out what the interface will ask of an outline, so that it does not wait for it."""
    from silhueta.core.inspection.figures import outline_figures
    from silhueta.core.tidy.choose import rows
    from silhueta.core.tidy.index import Index

    outline_figures(outline)
    rows(outline)
    Index(outline)


def _flattened(job: Job, picture: Picture, work: Work, stages: Stages) -> Result:
    with work.stage("rectify"):
        flat = stages.rectified(job, picture, work)
        return None, flat, stages.flat_colours(job, picture, work), stages.blend(job, picture).light


def _flat_key(job: Job) -> tuple[object, ...]:
    return (job.picture, job.datums, job.optics, job.clean, job.lean)


def _same_inputs(one: Job, two: Job) -> bool:
    return one.picture is two.picture and (one.datums, one.optics, one.clean, one.trace) == (
        two.datums,
        two.optics,
        two.clean,
        two.trace,
    )
