"""Worksheet of the stop Trace."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import QTimer
from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import QPushButton, QWidget

from silhueta.app.session import Session
from silhueta.app.states import no_picture
from silhueta.app.stops.trace.histogram import Histogram, read_grey
from silhueta.app.stops.trace.loop_deviations import LoopDeviations
from silhueta.app.stops.trace.modes import TraceModes
from silhueta.app.stops.trace.more import TraceMore
from silhueta.app.stops.trace.reading import TraceReading
from silhueta.app.stops.worksheet import Worksheet
from silhueta.app.table.table import Table
from silhueta.app.tracing import Tracing
from silhueta.app.widgets import Choice, Field, Note, Slider, boxed, heading, rounded, row, sentence
from silhueta.core.datum.fixing import present_mm_per_px
from silhueta.core.errors import SilhuetaError
from silhueta.core.inspection.figures import outline_figures
from silhueta.core.job import DEFAULT_TOLERANCE_PX, Job, TraceSettings, is_stale, set_trace, touched
from silhueta.core.trace.edge.threshold import level_of
from silhueta.core.units import format_area, format_length, parse_area, parse_length
from silhueta.core.wording import coarse, counted, open_wall

if TYPE_CHECKING:
    from silhueta.app.table.deviation_layer import DeviationLayer


class TraceSheet(Worksheet):
    """Where the part ends: side, threshold, tolerance, specks, and which loops."""

    def __init__(
        self, session: Session, tracing: Tracing, table: Table, parent: QWidget | None = None
    ) -> None:
        super().__init__(session, parent)
        self._tracing, self._table = tracing, table
        self.side = Choice("The part is", {"dark": "Dark", "light": "Light"}, self)
        self.find_it = QPushButton("Find it", self)
        self.threshold = Field("Threshold", read_grey, self)
        self.threshold.setFixedWidth(64)
        self.histogram = Histogram(self)
        self.tolerance = Field("Tolerance", lambda text: parse_length(text, session.units), self)
        self.tolerance_slider = Slider("Tolerance", 0.15, 6.0, self)  # px
        self.speck = Field(
            "Leave out specks under", lambda text: parse_area(text, session.units), self
        )
        self.speck_slider = Slider("Leave out specks under", 4.0, 40_000.0, self)  # px²
        self.keep = Choice(
            "Loops to cut", {"all": "All", "outer+holes": "Outer, holes", "outer": "Outer"}, self
        )
        self.meaning, self.left_out, self.fault = Note(), Note(), Note()
        self._band: DeviationLayer | None = None
        self.reading = TraceReading(session, tracing, table, self)
        self.modes = TraceModes(session, tracing, table, self)
        self.more_button = QPushButton("More…", self)
        self.more_button.setCheckable(True)
        self.more_button.setObjectName("more")
        self.more = TraceMore(session, tracing, table, self)
        self.more.hide()
        self.benches = (
            self.reading.bench,
            self.modes.bench,
            self.more.bench,
            self.more.patch_bench,
        )
        self.show_deviation = QPushButton("Deviation", self)
        self.show_deviation.setCheckable(True)
        self.show_deviation.setObjectName("show-deviation")
        self.worst = QPushButton("Largest", self)
        self.worst.setObjectName("worst")
        self.show_deviation.setToolTip("Draw how far the line leaves the picture's edge")
        self.worst.setToolTip("Go to where the line leaves the edge most")
        self.leave_specks = QPushButton(self)
        self.leave_specks.setObjectName("leave-specks")
        self.all_the_same = QPushButton("Trace it all the same", self)
        self.all_the_same.setObjectName("all-the-same")
        self.by_loop = LoopDeviations(self)
        self._lay_out()
        self._connect()
        tracing.changed.connect(self.renew)
        self.connect_job()

    def _lay_out(self) -> None:
        self._side_row = boxed(self, row(heading("The part is"), None, self.side))
        self.body.addWidget(self.reading)
        self.body.addWidget(self._side_row)
        self.body.addWidget(self.modes)
        self._threshold_row = boxed(
            self, row(heading("Threshold"), None, self.find_it, self.threshold)
        )
        self.body.addWidget(self._threshold_row)
        self.body.addWidget(self.histogram)
        self.body.addWidget(self.fault)
        self.body.addWidget(self.leave_specks)
        self.body.addWidget(self.all_the_same)
        self.body.addLayout(row(heading("Tolerance"), None, self.tolerance))
        self.body.addWidget(self.tolerance_slider)
        self.body.addWidget(self.meaning)
        self.body.addLayout(row(heading("Leave out specks under"), None, self.speck))
        self.body.addWidget(self.speck_slider)
        self.body.addWidget(self.left_out)
        self.body.addWidget(heading("Loops to cut"))
        self.body.addWidget(self.keep)
        self.body.addLayout(row(self.show_deviation, self.worst))
        self.body.addWidget(self.by_loop)
        self.body.addWidget(self.more_button)
        self.body.addWidget(self.more)

    def _connect(self) -> None:
        self.side.chosen.connect(lambda key: self._set("Part is " + key, invert=key == "light"))
        self.find_it.clicked.connect(lambda: self._set("Find the threshold", threshold=None))
        self.threshold.typed.connect(lambda value: self._set("Threshold", threshold=value))
        self.histogram.dragged.connect(self._drag_threshold)
        self.histogram.dropped.connect(self._drop)
        self.tolerance.typed.connect(lambda value: self._set("Tolerance", tolerance=value))
        self.tolerance_slider.slid.connect(self._slide_tolerance)
        self.speck.typed.connect(lambda value: self._set("Speck limit", speck=value))
        self.speck_slider.slid.connect(self._slide_speck)
        for slider in (self.tolerance_slider, self.speck_slider):
            slider.let_go.connect(self._drop)
        self.histogram.banded.connect(self.modes.drag_band)
        self.keep.chosen.connect(lambda key: self._set("Loops to cut", keep=key))
        for field in (self.threshold, self.tolerance, self.speck):
            field.wrong.connect(lambda fault: self.fault.say(fault, bool(fault)))
        for part in (self.reading, self.modes, self.more):
            part.wrong.connect(lambda fault: self.fault.say(fault, bool(fault)))
        self.more_button.toggled.connect(self._toggle_more)
        self.show_deviation.toggled.connect(self._toggle_deviation)
        self.by_loop.picked.connect(self._table.show_place)
        self.worst.clicked.connect(self._go_to_worst)
        self.leave_specks.clicked.connect(self._leave_specks)
        self.all_the_same.clicked.connect(lambda: self._set("Trace it all", many=True))
        self.next.clicked.connect(self.go_on)

    # the person's hand

    def _set(self, label: str, merge: str = "", **changes: Any) -> None:
        try:
            self.session.apply(
                label, lambda job: set_trace(job, replace(job.trace, **changes)), merge
            )
        except SilhuetaError as error:
            self.fault.say(str(error), True)

    def _toggle_more(self, on: bool) -> None:
        self.more.setVisible(on)
        self.more_button.setText("Less" if on else "More…")
        if on:
            QTimer.singleShot(0, lambda: self.pane.ensureWidgetVisible(self.more.fit, 0, 200))

    def _toggle_deviation(self, on: bool) -> None:
        if on:
            self._tracing.measure_deviation()
        self._show_overlays(self.session.job)

    def _go_to_worst(self) -> None:
        deviation = self._tracing.deviation
        place = None if deviation is None else deviation.worst_place()
        if place is not None:
            self.show_deviation.setChecked(True)
            self._table.show_place(*place)

    def _leave_specks(self) -> None:
        proposal = self._tracing.proposal
        if proposal is not None:
            self._set("Speck limit", speck=proposal.speck)

    def showEvent(self, event: QShowEvent) -> None:
        """Show patches and deviation on the table."""
        super().showEvent(event)
        self._show_overlays(self.session.job)

    def hideEvent(self, event: QHideEvent) -> None:
        """Take them off it."""
        super().hideEvent(event)
        for name in ("deviation", "patches", "kept", "doubts"):
            self._table.set_overlay(name, None)

    def _show_overlays(self, job: Job) -> None:
        """Lay the patches, and the deviation while it is wanted, over the outline."""
        from silhueta.app.table.deviation_layer import DeviationLayer
        from silhueta.app.table.kept_layer import KeptLayer
        from silhueta.app.table.marked_layer import OfferLayer
        from silhueta.app.table.patch_layer import PatchLayer

        if not self.isVisible():
            return
        flat, deviation = self._tracing.flat, self._tracing.deviation
        patches = job.trace.patches
        layer = PatchLayer(patches, flat) if patches and flat is not None else None
        self._table.set_overlay("patches", layer)
        stamp = job.traced
        kept = touched(job.outline) if stamp is not None and stamp.kept else ()
        self._table.set_overlay("kept", KeptLayer(kept) if kept else None)
        doubts = () if stamp is None or is_stale(job) else stamp.doubts
        places = [(x, y) for x, y, _ in doubts]
        self._table.set_overlay("doubts", OfferLayer(places) if places else None)
        wanted = self.show_deviation.isChecked() and not is_stale(job)
        shown = self._band
        if deviation is None or not wanted:
            self._band = None
        elif shown is None or not shown.shows(deviation, self.session.units):
            self._band = DeviationLayer(deviation, self.session.units)
        self._table.set_overlay("deviation", self._band)
        self.by_loop.show_deviation(deviation if wanted else None, self.session.units)

    def _drag_threshold(self, grey: float) -> None:
        self._table.preview((np.arange(256) < grey) != self.session.job.trace.invert)
        self._set("Threshold", "threshold", threshold=grey)

    def _drop(self) -> None:
        self._table.preview_specks(0)
        self.modes.drop()

    def _slide_tolerance(self, value: float) -> None:
        size = present_mm_per_px(self.session.job)
        self._set("Tolerance", "tolerance", tolerance=rounded(size * value))

    def _slide_speck(self, value: float) -> None:
        speck = rounded(value * present_mm_per_px(self.session.job) ** 2)
        if self.speck_slider.isSliderDown():
            self._table.preview_specks(speck)
        self._set("Speck limit", "speck", speck=speck)

    # what is shown

    def refresh(self, job: Job) -> None:
        """Show the settings, each in a real unit, and what came of them."""
        settings, unit = job.trace, self.session.units
        size = present_mm_per_px(job)
        self.reading.refresh(job)
        self.modes.refresh(job)
        self.more.refresh(job)
        plain = settings.mode == "threshold" and not settings.split
        self._threshold_row.setVisible(plain)
        self._side_row.setVisible(not settings.split and settings.mode != "part")
        self.histogram.setVisible(plain or settings.mode == "band")
        self._show_proposal()
        self._show_overlays(job)
        kept = 0.0 if job.traced is None or is_stale(job) else job.traced.tolerance_mm
        tolerance = settings.tolerance or kept or DEFAULT_TOLERANCE_PX * size
        self.side.set_chosen("light" if settings.invert else "dark")
        self.keep.set_chosen(settings.keep)
        grey = self._grey(job, settings)
        self.threshold.show_value(f"{grey:.0f}")
        automatic = settings.threshold is None
        band = settings.band if settings.mode == "band" else None
        self.histogram.show_values(self._tracing.counts, grey, not settings.invert, automatic, band)
        self.find_it.setEnabled(not automatic)
        self.find_it.setToolTip(
            "It is the found one already" if automatic else "Half-way between dark and light"
        )
        self.tolerance.show_value(format_length(tolerance, unit, 3))
        self.meaning.say(self._about_tolerance(job, tolerance, size))
        self.speck.show_value(format_area(settings.speck, unit))
        self.tolerance_slider.show_value(tolerance / size)
        self.speck_slider.show_value(settings.speck / size**2)
        stamp = job.traced
        pixels = f"{settings.speck / size**2:,.0f} pixels"
        if stamp is not None and not is_stale(job):
            self.left_out.say(f"{stamp.dropped} left out, {pixels} each at most.")
        else:
            self.left_out.say(f"That is {pixels}.")
        self._show_result(job)

    def _about_tolerance(self, job: Job, tolerance: float, size: float) -> str:
        """Say what the tolerance means, and when it is finer or coarser than makes sense."""
        stamp = job.traced
        if stamp is not None and not is_stale(job):
            noise = format_length(stamp.noise_mm, self.session.units, 3)
            if job.trace.tolerance is None and tolerance > DEFAULT_TOLERANCE_PX * size + 1e-9:
                return "From the picture: its edges are no truer. Smaller makes more segments."
            if tolerance < 2 * stamp.noise_mm:
                return f"Finer than the picture's own noise ({noise}): the noise decides."

            if job.outline.taken:
                left, bottom, right, top = job.outline.bounds
                if tolerance > 0.1 * min(right - left, top - bottom):
                    return "▲ Over a tenth of the part: its shape may be lost. Make it smaller."
        if tolerance < 0.12 * size:
            return "Finer than a picture can tell: an eighth of a pixel is taken."
        return "The line may leave the edge by this much."

    def _show_proposal(self) -> None:
        proposal = self._tracing.proposal
        for button in (self.leave_specks, self.all_the_same):
            button.setVisible(proposal is not None)
        if proposal is not None:
            under = format_area(proposal.speck, self.session.units)
            self.leave_specks.setText(f"Leave out under {under}")

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
            self.way_on("there is no picture yet")
        elif self._tracing.failure:
            self.say_result(sentence(self._tracing.failure), True)
            self.way_on("nothing is traced with these settings")
        elif is_stale(job) or job.traced is None:
            self.say_result("Tracing…")
            self.way_on("the trace is not done yet")
        else:
            got = outline_figures(job.outline)
            skipped = len(job.outline.contours) - len(job.outline.taken)
            loops = got.outer_loops + got.holes
            text = f"{counted(loops, 'loop')}, closed. {counted(got.segments, 'segment')}."
            if skipped:
                text += f" {skipped} skipped."
            if got.open_paths:
                text = (
                    f"{counted(loops, 'closed loop')}, {got.open_paths} open. "
                    f"{counted(got.segments, 'segment')}."
                )
            stamp, unit = job.traced, self.session.units
            fine = 3 if unit == "mm" else 4  # a thousandth of an inch is more than most are off
            worst = format_length(stamp.deviation_mm, unit, fine)
            mean = format_length(stamp.deviation_mean, unit, fine)
            told = f"{text}\nEdge to line: {mean} mean, {worst} largest."
            if stamp.rims:
                told += f" Left out: {stamp.rims} along the picture's border."
            if stamp.doubts:
                count = len(stamp.doubts)
                places = "One place" if count == 1 else f"{count} places"
                told += f"\n▲ {places} on the table not sure: {stamp.doubts[0][2]}."
            if stamp.wall_mm:
                told += f"\n▲ {sentence(open_wall(format_length(stamp.wall_mm, unit, 1)))}"
            if stamp.coarse:
                told += f"\n{sentence(coarse(format_length(stamp.mm_per_px, unit, 2)))}"
            if stamp.kept:
                told += f"\nKept as they were: {stamp.kept}; traced anew: {stamp.replaced}."
            self.say_result(told)
            self.way_on()
