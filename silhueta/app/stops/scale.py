"""Worksheet of the stop Scale."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QPushButton, QStackedWidget, QVBoxLayout, QWidget

from silhueta.app.session import Session
from silhueta.app.stops.worksheet import Worksheet
from silhueta.app.table.table import Table
from silhueta.app.tracing import Tracing
from silhueta.app.widgets import Choice, Field, Note, heading, row
from silhueta.core.datum.fixing import describe, present_mm_per_px
from silhueta.core.errors import SilhuetaError, UnitsError
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.job import Datum, DpiDatum, Job, LengthDatum, OverallDatum, PixelDatum, set_datum
from silhueta.core.units import Unit, format_length, parse_length

_PAGES = {"dpi": "dpi", "overall": "Overall", "length": "Length", "pixel": "Pixel"}


class ScaleSheet(Worksheet):
    """Say how large it is: one datum of four kinds."""

    def __init__(
        self, session: Session, tracing: Tracing, table: Table, parent: QWidget | None = None
    ) -> None:
        super().__init__(session, "Scale", "How large is it in truth?", parent)
        self._tracing, self._table = tracing, table
        self._points: tuple[tuple[float, float], tuple[float, float]] | None = None
        self._axis = "width"
        self.kind = Choice("What is known", _PAGES, self)
        self.kind.chosen.connect(self._show_page)
        self.body.addWidget(heading("What is known"))
        self.body.addWidget(self.kind)
        self.pages = QStackedWidget(self)
        self.body.addWidget(self.pages)
        self.fault = Note()
        self.body.addWidget(self.fault)
        self._add_pages()
        self.next.clicked.connect(lambda: self.go.emit("trace"))
        session.units_changed.connect(lambda _: self.refresh(session.job))
        self._shown_for: Datum | None | str = "nothing"
        self.connect_job()

    def _add_pages(self) -> None:
        self.dpi = self._field("Dots per inch", _read_dpi, self._set_dpi)
        self._page(
            row(heading("Resolution"), None, self.dpi),
            "A scanner's own setting. It must not be guessed.",
        )
        self.axis = Choice("Which way", {"width": "Width", "height": "Height"}, self)
        self.axis.set_chosen("width")
        self.axis.chosen.connect(self._set_axis)
        self.overall = self._field("Overall length", self._read_length, self._set_overall)
        self._page(
            row(self.axis, self.overall),
            "Of the whole traced outline, as the calipers say. The proportion is kept.",
        )
        self.pick = QPushButton("Pick two points", self)
        self.pick.setObjectName("pick-two-points")
        self.pick.clicked.connect(self.start_pick)
        self.picked = Note("Two places on the picture whose distance you know, far apart.")
        self.length = self._field("Their distance", self._read_length, self._set_length)
        self._page(
            row(self.pick), "", self.picked, row(heading("Their distance"), None, self.length)
        )
        self.pixel = self._field("Side of a pixel", self._read_length, self._set_pixel)
        self._page(
            row(heading("Side of a pixel"), None, self.pixel),
            "From a microscope or a program that knows it.",
        )

    def _field(
        self, name: str, read: Callable[[str], object], take: Callable[[float], None]
    ) -> Field:
        field = Field(name, read, self)
        field.typed.connect(take)
        field.wrong.connect(lambda fault: self.fault.say(fault, bool(fault)))
        return field

    def _page(self, first: object, note: str, *more: object) -> None:
        page = QWidget(self)
        layout = QVBoxLayout(page)
        layout.setContentsMargins(0, 0, 0, 0)
        for item in (first, *([Note(note)] if note else []), *more):
            if isinstance(item, QWidget):
                layout.addWidget(item)
            else:
                layout.addLayout(item)  # type: ignore[arg-type]
        layout.addStretch(1)
        self.pages.addWidget(page)

    # the person's hand

    def _show_page(self, key: str) -> None:
        self.pages.setCurrentIndex(list(_PAGES).index(key))
        self.kind.set_chosen(key)

    def start_pick(self) -> None:
        """Let two points be picked on the table."""
        if self._table.picture is None:
            self.failed.emit("There is no picture to pick points on. Open one first.")
            return
        self._show_page("length")
        self._table.start_pick(2, self._take_points)

    def _take_points(self, points: list[tuple[float, float]]) -> None:
        self._points = (points[0], points[1])
        self._say_points()
        self.length.setFocus()
        self.length.selectAll()

    def _say_points(self) -> None:
        if self._points is not None:
            apart = math.dist(*self._points)
            self.picked.say(f"Picked, {apart:,.1f} pixels apart. Now type how far apart they are.")

    def _set_dpi(self, value: float) -> None:
        self._set(DpiDatum(value))

    def _set_axis(self, axis: str) -> None:
        self._axis = axis
        datum = next(iter(self.session.job.datums), None)
        if isinstance(datum, OverallDatum) and datum.axis != axis:
            self._shown_for = "nothing"
            self.refresh(self.session.job)

    def _set_overall(self, mm: float) -> None:
        self._set(OverallDatum("width" if self._axis == "width" else "height", mm))

    def _set_length(self, mm: float) -> None:
        if self._points is None:
            self.fault.say("pick the two points first, then type how far apart they are", True)
            return
        points = self._points
        self._set(partial(LengthDatum, points[0], points[1], mm))

    def _set_pixel(self, mm: float) -> None:
        self._set(PixelDatum(mm))

    def _set(self, datum: Datum | Callable[[], Datum]) -> None:
        try:
            made = datum() if callable(datum) else datum
            self.session.apply(f"Scale: {describe(made)}", lambda job: set_datum(job, made))
        except SilhuetaError as error:
            self.fault.say(str(error), True)

    def _read_length(self, text: str) -> float:
        return parse_length(text, self.session.units)

    # what is shown

    def refresh(self, job: Job) -> None:
        """Show the datum that fixes the scale, and what it makes of the part."""
        datum = job.datums[0] if job.datums else None
        if datum is not self._shown_for:
            self._shown_for = datum
            self._show_datum(datum)
        self._show_values(datum, self.session.units)
        if job.picture is None:
            self.say_result("Open a picture first.")
            self.set_next("On to Trace", "there is no picture yet")
            return
        if datum is None:
            self.say_result(
                "Not true to size yet: the file does not say how large a pixel is.", True
            )
            self.set_next("On to Trace")
            return
        size = present_mm_per_px(job)
        lines = [f"{size:.4g} mm per pixel, from {describe(datum)}."]
        if job.outline.taken and not self._tracing.bench.busy:
            left, bottom, right, top = bounding_box(job.outline.taken)
            unit = self.session.units
            lines.append(
                f"The outline: {format_length(right - left, unit)} × "
                f"{format_length(top - bottom, unit)}."
            )
        self.say_result("\n".join(lines))
        self.set_next("On to Trace")

    def _show_datum(self, datum: Datum | None) -> None:
        match datum:
            case LengthDatum():
                self._points = (datum.start, datum.end)
                self._say_points()
                self._show_page("length")
            case OverallDatum():
                self._axis = datum.axis
                self.axis.set_chosen(datum.axis)
                self._show_page("overall")
            case PixelDatum():
                self._show_page("pixel")
            case DpiDatum():
                self._show_page("dpi")
            case None:
                self._points = None
                self._show_page("overall")

    def _show_values(self, datum: Datum | None, unit: Unit) -> None:
        self.dpi.show_value(f"{datum.dpi:g} dpi" if isinstance(datum, DpiDatum) else "")
        self.pixel.show_value(f"{datum.mm:g} mm" if isinstance(datum, PixelDatum) else "")
        self.length.show_value(
            format_length(datum.mm, unit) if isinstance(datum, LengthDatum) else ""
        )
        overall = ""
        if isinstance(datum, OverallDatum) and datum.axis == self._axis:
            overall = format_length(datum.mm, unit)
        self.overall.show_value(overall)


def _read_dpi(text: str) -> float:
    try:
        value = float(text.lower().replace("dpi", "").strip().replace(",", "."))
    except ValueError as error:
        raise UnitsError(
            f"“{text.strip()[:40]}” is not a number of dots per inch, such as 300"
        ) from error
    if not 1 <= value <= 100_000:
        raise UnitsError(f"{value:g} dpi cannot be; scanners have 75 to 4800")
    return value
