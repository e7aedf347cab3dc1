"""Worksheet of the stop Trace."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton, QSlider, QWidget

from silhueta.app.session import Session
from silhueta.app.states import no_picture
from silhueta.app.stops.histogram import Histogram
from silhueta.app.stops.worksheet import Worksheet
from silhueta.app.table.table import Table
from silhueta.app.tracing import Tracing
from silhueta.app.widgets import Choice, Field, Note, heading, row, sentence
from silhueta.core.datum.fixing import present_mm_per_px
from silhueta.core.errors import SilhuetaError, UnitsError
from silhueta.core.inspection.figures import outline_figures
from silhueta.core.job import DEFAULT_TOLERANCE_PX, Job, TraceSettings, is_stale, set_trace
from silhueta.core.trace.threshold import level_of
from silhueta.core.units import format_length, parse_area, parse_length

_FINEST_PX, _COARSEST_PX = 0.15, 6.0  # ends of the tolerance slider
_SMALLEST_PX, _LARGEST_PX = 4.0, 40_000.0  # ends of the speck slider, px²


class TraceSheet(Worksheet):
    """Where the part ends: side, threshold, tolerance, specks, and which loops."""

    def __init__(
        self, session: Session, tracing: Tracing, table: Table, parent: QWidget | None = None
    ) -> None:
        super().__init__(session, "Trace", "Where does the part end and the ground begin?", parent)
        self._tracing, self._table = tracing, table
        self.side = Choice("The part is", {"dark": "Dark", "light": "Light"}, self)
        self.find_it = QPushButton("Find it", self)
        self.threshold = Field("Threshold", _read_grey, self)
        self.threshold.setFixedWidth(64)
        self.histogram = Histogram(self)
        self.tolerance = Field("Tolerance", lambda text: parse_length(text, session.units), self)
        self.tolerance_slider = _slider("Tolerance")
        self.speck = Field(
            "Leave out specks under", lambda text: parse_area(text, session.units), self
        )
        self.speck_slider = _slider("Leave out specks under")
        self.keep = Choice(
            "Loops to cut", {"all": "All", "outer+holes": "Outer, holes", "outer": "Outer"}, self
        )
        self.meaning, self.left_out, self.fault = Note(), Note(), Note()
        self._lay_out()
        self._connect()
        tracing.changed.connect(lambda: self.refresh(session.job))
        self.connect_job()

    def _lay_out(self) -> None:
        self.body.addLayout(row(heading("The part is"), None, self.side))
        self.body.addLayout(row(heading("Threshold"), None, self.find_it, self.threshold))
        self.body.addWidget(self.histogram)
        self.body.addWidget(self.fault)
        self.body.addLayout(row(heading("Tolerance"), None, self.tolerance))
        self.body.addWidget(self.tolerance_slider)
        self.body.addWidget(self.meaning)
        self.body.addLayout(row(heading("Leave out specks under"), None, self.speck))
        self.body.addWidget(self.speck_slider)
        self.body.addWidget(self.left_out)
        self.body.addWidget(heading("Loops to cut"))
        self.body.addWidget(self.keep)

    def _connect(self) -> None:
        self.side.chosen.connect(lambda key: self._set("Part is " + key, invert=key == "light"))
        self.find_it.clicked.connect(lambda: self._set("Find the threshold", threshold=None))
        self.threshold.typed.connect(lambda value: self._set("Threshold", threshold=value))
        self.histogram.dragged.connect(self._drag_threshold)
        self.histogram.dropped.connect(self._drop)
        self.tolerance.typed.connect(lambda value: self._set("Tolerance", tolerance=value))
        self.tolerance_slider.valueChanged.connect(self._slide_tolerance)
        self.speck.typed.connect(lambda value: self._set("Speck limit", speck=value))
        self.speck_slider.valueChanged.connect(self._slide_speck)
        for slider in (self.tolerance_slider, self.speck_slider):
            slider.sliderReleased.connect(self.session.end_merge)
        self.keep.chosen.connect(lambda key: self._set("Loops to cut", keep=key))
        for field in (self.threshold, self.tolerance, self.speck):
            field.wrong.connect(lambda fault: self.fault.say(fault, bool(fault)))
        self.next.clicked.connect(lambda: self.go.emit("cut_file"))

    # the person's hand

    def _set(self, label: str, merge: str = "", **changes: Any) -> None:
        try:
            self.session.apply(
                label, lambda job: set_trace(job, replace(job.trace, **changes)), merge
            )
        except SilhuetaError as error:
            self.fault.say(str(error), True)

    def _drag_threshold(self, grey: float) -> None:
        self._table.preview_threshold(grey, not self.session.job.trace.invert)
        self._set("Threshold", "threshold", threshold=grey)

    def _drop(self) -> None:
        self._table.preview_threshold(None)
        self.session.end_merge()

    def _slide_tolerance(self, step: int) -> None:
        size = present_mm_per_px(self.session.job)
        self._set(
            "Tolerance",
            "tolerance",
            tolerance=_rounded(size * _slid(step, _FINEST_PX, _COARSEST_PX)),
        )

    def _slide_speck(self, step: int) -> None:
        size = present_mm_per_px(self.session.job)
        self._set(
            "Speck limit", "speck", speck=_rounded(size**2 * _slid(step, _SMALLEST_PX, _LARGEST_PX))
        )

    # what is shown

    def refresh(self, job: Job) -> None:
        """Show the settings, each in a real unit, and what came of them."""
        settings, unit = job.trace, self.session.units
        size = present_mm_per_px(job)
        tolerance = settings.tolerance or DEFAULT_TOLERANCE_PX * size
        self.side.set_chosen("light" if settings.invert else "dark")
        self.keep.set_chosen(settings.keep)
        grey = self._grey(job, settings)
        self.threshold.show_value(f"{grey:.0f}")
        automatic = settings.threshold is None
        self.histogram.show_values(self._tracing.counts, grey, not settings.invert, automatic)
        self.find_it.setEnabled(not automatic)
        self.find_it.setToolTip(
            "It is the found one already" if automatic else "Half-way between dark and light"
        )
        self.tolerance.show_value(format_length(tolerance, unit, 3))
        self.meaning.say("The line may leave the edge by this much.")
        self.speck.show_value(f"{settings.speck:.3g} mm²")
        _place(self.tolerance_slider, tolerance / size, _FINEST_PX, _COARSEST_PX)
        _place(self.speck_slider, settings.speck / size**2, _SMALLEST_PX, _LARGEST_PX)
        stamp = job.traced
        pixels = f"{settings.speck / size**2:,.0f} pixels"
        if stamp is not None and not is_stale(job):
            self.left_out.say(f"{stamp.dropped} left out, {pixels} each at most.")
        else:
            self.left_out.say(f"That is {pixels}.")
        self._show_result(job)

    def _grey(self, job: Job, settings: TraceSettings) -> float:
        if settings.threshold is not None:
            return settings.threshold
        if job.traced is not None and not is_stale(job):
            return job.traced.level + 0.5
        picture = self._tracing.picture
        try:
            return level_of(picture, settings) + 0.5 if picture is not None else 128.0
        except SilhuetaError:
            return 128.0

    def _show_result(self, job: Job) -> None:
        if job.picture is None:
            self.say_result(no_picture(job))
            self.set_next("On to Cut file", "there is no picture yet")
        elif self._tracing.failure:
            self.say_result(sentence(self._tracing.failure), True)
            self.set_next("On to Cut file", "nothing is traced with these settings")
        elif is_stale(job) or job.traced is None:
            self.say_result("Tracing…")
            self.set_next("On to Cut file", "the trace is not done yet")
        else:
            got = outline_figures(job.outline)
            skipped = len(job.outline.contours) - len(job.outline.taken)
            loops = got.outer_loops + got.holes
            text = f"{loops} loops, all closed. {got.segments} segments."
            if skipped:
                text += f" {skipped} skipped."
            worst = format_length(job.traced.deviation_mm, self.session.units, 3)
            self.say_result(f"{text}\nPicture's edge to line: {worst} at the farthest.")
            self.set_next("On to Cut file")


def _slider(name: str) -> QSlider:
    slider = QSlider(Qt.Orientation.Horizontal)
    slider.setRange(0, 100)
    slider.setAccessibleName(name)
    return slider


def _slid(step: int, low: float, high: float) -> float:
    return low * float((high / low) ** (step / 100))


def _place(slider: QSlider, value: float, low: float, high: float) -> None:
    step = 0 if value <= low else round(100 * math.log(value / low) / math.log(high / low))
    slider.blockSignals(True)
    slider.setValue(step)
    slider.blockSignals(False)


def _rounded(value: float) -> float:
    """Return `value` to two figures, as a person would have typed it."""
    return float(f"{value:.2g}")


def _read_grey(text: str) -> float:
    try:
        value = float(text.strip().replace(",", "."))
    except ValueError as error:
        raise UnitsError(f"“{text.strip()[:40]}” is not a grey value from 0 to 255") from error
    if not 0 <= value <= 255:
        raise UnitsError(f"{value:g} is not a grey value; black is 0 and white is 255")
    return value
