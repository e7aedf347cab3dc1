"""The controls of each kind of datum, one page at a time."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Signal, SignalInstance
from PySide6.QtWidgets import QCheckBox, QLayout, QPushButton, QVBoxLayout, QWidget

from silhueta.app.widgets import Choice, Field, Note, heading, read_number, row
from silhueta.core.datum.sheets import SIZES, sheet_size
from silhueta.core.datums import (
    DpiDatum,
    GaugeDatum,
    LengthDatum,
    OverallDatum,
    PageDatum,
    PixelDatum,
    RoundDatum,
    SheetDatum,
)
from silhueta.core.job import Job
from silhueta.core.units import Unit, format_length

_SHEETS = {"a4": "A4", "letter": "Letter", "a3": "A3", "card": "Card"}
_PAGES = {"a4": "A4", "letter": "Letter", "a3": "A3", "legal": "Legal"}
_GAUGES = {"a4": "A4", "letter": "Letter", "a3": "A3"}


class Pages(QWidget):
    """Shows the page of one kind; tells what the hand wants."""

    wrong = Signal(str)
    datum = Signal(object)
    find_sheet = Signal()
    mark_sheet = Signal()
    find_gauge = Signal()
    save_gauge = Signal(str)
    bar = Signal(float)
    pick_length = Signal()
    pick_round = Signal()
    page = Signal(str, object)

    def __init__(self, parent: QWidget, read_length: Callable[[str], float]) -> None:
        super().__init__(parent)
        self._read_length = read_length
        self._sheet, self._gauge = "a4", "a4"
        self._other: tuple[str, tuple[float, float]] | None = None
        self.diameter_mm: float | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self._layout = layout
        self._pages: dict[str, QWidget] = {}
        self._add_photo_pages()
        self._add_flat_pages()

    def _add_photo_pages(self) -> None:
        self.sheets = Choice("Size of the sheet", _SHEETS, self)
        self.sheets.set_chosen("a4")
        self.sheets.chosen.connect(self._choose_sheet)
        self.other = self._field("Another size", sheet_size, self._take_other)
        find = self._button("Find the sheet", "find-sheet", self.find_sheet)
        mark = self._button("Mark corners", "mark-sheet", self.mark_sheet)
        self._page(
            "sheet",
            self.sheets,
            row(heading("Or width × height"), None, self.other),
            row(find, mark),
            Note("In the photo, under or beside the part. Its corners can be dragged.", self),
        )
        find = self._button("Find the gauge sheet", "find-gauge", self.find_gauge)
        self.bar_field = self._field("What its bar measures", self._read_length, self.bar.emit)
        self.gauges = Choice("Size of the gauge sheet", _GAUGES, self)
        self.gauges.set_chosen("a4")
        make = QPushButton("Make it…", self)
        make.setObjectName("make-gauge")
        make.clicked.connect(lambda: self.save_gauge.emit(self._gauge))
        self.gauges.chosen.connect(self._choose_gauge)
        self._page(
            "gauge",
            find,
            row(heading("Its 100 mm bar is"), None, self.bar_field),
            row(self.gauges, make),
            Note("A printed page with coded marks: it tells the lens as well.", self),
        )
        pick = self._button("Pick two points", "pick-two-points", self.pick_length)
        self.picked = Note("Two edges whose distance you know, far apart.", self)
        self.length = self._field("Their distance", self._read_length, None)
        self._page("length", pick, self.picked, row(heading("Their distance"), None, self.length))
        self.diameter = self._field("Diameter", self._read_length, self._take_diameter)
        pick = self._button("Click in it", "pick-round", self.pick_round)
        self.tilt = QCheckBox("Its shape tells the tilt", self)
        self._page(
            "round",
            row(heading("Diameter"), None, self.diameter),
            row(pick, None),
            self.tilt,
            Note("A coin, washer or bore of known diameter.", self),
        )

    def _add_flat_pages(self) -> None:
        self.dpi = self._field("Dots per inch", _read_dpi, lambda v: self.datum.emit(DpiDatum(v)))
        self._page(
            "dpi",
            row(heading("Resolution"), None, self.dpi),
            Note("A scanner's own setting. It must not be guessed.", self),
        )
        self.page_size = Choice("Page", _PAGES, self)
        self.page_size.chosen.connect(lambda key: self.page.emit(key, SIZES[key]))
        self._page("page", self.page_size, Note("The scan is one whole page of this size.", self))
        self.axis = Choice("Which way", {"width": "Width", "height": "Height"}, self)
        self.axis.set_chosen("width")
        self._axis = "width"
        self.axis.chosen.connect(self._set_axis)
        self.overall = self._field("Overall length", self._read_length, self._take_overall)
        self._page(
            "overall",
            row(self.axis, self.overall),
            Note("Of the whole traced outline. The proportion is kept.", self),
        )
        self.pixel = self._field(
            "Side of a pixel", self._read_length, lambda v: self.datum.emit(PixelDatum(v))
        )
        self._page(
            "pixel",
            row(heading("Side of a pixel"), None, self.pixel),
            Note("From a microscope or a program that knows it.", self),
        )

    def _page(self, key: str, *items: QWidget | QLayout) -> None:
        page = QWidget(self)
        layout = QVBoxLayout(page)
        layout.setContentsMargins(0, 4, 0, 0)
        layout.setSpacing(6)
        for item in items:
            if isinstance(item, QWidget):
                layout.addWidget(item)
            else:
                layout.addLayout(item)
        page.hide()
        self._pages[key] = page
        self._layout.addWidget(page)

    def _button(self, text: str, name: str, signal: SignalInstance) -> QPushButton:
        button = QPushButton(text, self)
        button.setObjectName(name)
        button.clicked.connect(lambda: signal.emit())
        return button

    def _field(
        self, name: str, read: Callable[[str], object], take: Callable[..., object] | None
    ) -> Field:
        field = Field(name, read, self)
        if take is not None:
            field.typed.connect(take)
        field.wrong.connect(self.wrong)
        return field

    # the hand

    def show_kind(self, key: str) -> None:
        """Show the page of one kind."""
        for name, page in self._pages.items():
            page.setVisible(name == key)

    def _choose_sheet(self, key: str) -> None:
        self._sheet, self._other = key, None
        self.other.show_value("")

    def _take_other(self, named: tuple[str, tuple[float, float]]) -> None:
        self._other = named
        self.other.show_value(named[0].replace("x", " × ").replace("mm", " mm"))

    def _choose_gauge(self, key: str) -> None:
        self._gauge = key

    def sheet_size(self) -> tuple[str, tuple[float, float]]:
        """Return name and size of the sheet that is chosen."""
        return self._other or (self._sheet, SIZES[self._sheet])

    def _take_diameter(self, mm: float) -> None:
        self.diameter_mm = mm
        self.diameter.show_value(f"{mm:g} mm")

    def _set_axis(self, axis: str) -> None:
        self._axis = axis

    def _take_overall(self, mm: float) -> None:
        self.datum.emit(OverallDatum("width" if self._axis == "width" else "height", mm))

    # what is shown

    def say_points(self, apart: float) -> None:
        """Say how far apart the picked points are."""
        self.picked.say(f"Picked, {apart:,.1f} pixels apart. Now type how far apart they are.")

    def kind_of(self, job: Job) -> str | None:
        """Return the page that belongs to the job's newest datum; None: leave what is shown."""
        if not job.datums:
            return "overall" if job.picture is None else "sheet"
        match job.datums[-1]:
            case SheetDatum(name=name):
                if name in _SHEETS:
                    self.sheets.set_chosen(name)
                    self._sheet = name
                return "sheet"
            case OverallDatum(axis=axis):
                self._axis = axis
                self.axis.set_chosen(axis)
                return "overall"
            case GaugeDatum():
                return "gauge"
            case LengthDatum():
                return "length"
            case RoundDatum():
                return "round"
            case PageDatum(name=name):
                if name in _PAGES:
                    self.page_size.set_chosen(name)
                return "page"
            case PixelDatum():
                return "pixel"
            case _:
                return "dpi"

    def show_values(self, job: Job, unit: Unit) -> None:
        """Show the values of the job's datums in their fields."""
        newest = {type(datum): datum for datum in job.datums}
        dpi, pixel = newest.get(DpiDatum), newest.get(PixelDatum)
        length, overall = newest.get(LengthDatum), newest.get(OverallDatum)
        gauge, ring = newest.get(GaugeDatum), newest.get(RoundDatum)
        self.dpi.show_value(f"{dpi.dpi:g} dpi" if isinstance(dpi, DpiDatum) else "")
        self.pixel.show_value(f"{pixel.mm:g} mm" if isinstance(pixel, PixelDatum) else "")
        self.length.show_value(
            format_length(length.mm, unit) if isinstance(length, LengthDatum) else ""
        )
        self.bar_field.show_value(
            format_length(gauge.bar, unit) if isinstance(gauge, GaugeDatum) else ""
        )
        if isinstance(ring, RoundDatum):
            self.diameter_mm = ring.mm
            self.diameter.show_value(format_length(ring.mm, unit))
        shown = isinstance(overall, OverallDatum) and overall.axis == self._axis
        self.overall.show_value(
            format_length(overall.mm, unit) if shown and isinstance(overall, OverallDatum) else ""
        )


def _read_dpi(text: str) -> float:
    return read_number(text, "dpi", 1, 100_000, "dots per inch")


def read_focal(text: str) -> float | None:
    """Return a typed focal length, mm of a 35-mm lens; None for an empty text."""
    if not text.lower().replace("mm", "").strip():
        return None
    return read_number(text, "mm", 5, 2000, "millimetres of a 35-mm lens")
