"""Part of the Trace worksheet: by what the part is told from the ground."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from silhueta.app.session import Session
from silhueta.app.stops.trace.histogram import read_grey
from silhueta.app.stops.trace.part import TracePart
from silhueta.app.table.table import Table
from silhueta.app.tracing import Tracing
from silhueta.app.widgets import (
    Choice,
    Field,
    Note,
    Slider,
    boxed,
    heading,
    read_number,
    rounded,
    row,
)
from silhueta.core.job import Job, TraceSettings
from silhueta.core.units import format_length, parse_length

_MODES = {
    "threshold": "Grey",
    "band": "Band",
    "local": "Uneven light",
    "colour": "Colour",
    "part": "Part",
}
_MEANINGS = {
    "threshold": "",
    "band": "The part lies between two greys.",
    "local": "Each place is held against the greys around it: for uneven light.",
    "colour": "What is near the picked colours is the part.",
    "part": "Where it errs, paint ink on the part, or scrape on the ground, at Picture.",
}


class TraceModes(TracePart):
    """The mode, and the controls that belong to it; the histogram stays with the worksheet."""

    def __init__(
        self, session: Session, tracing: Tracing, table: Table, parent: QWidget | None = None
    ) -> None:
        super().__init__(session, tracing, table, parent)
        self.mode = Choice("Told apart by", _MODES, self, columns=3)
        self.meaning = Note(parent=self)
        self.low = Field("Band from", read_grey, self)
        self.high = Field("Band to", read_grey, self)
        self.window_side = Field("Window", lambda text: parse_length(text, session.units), self)
        self.distance = Field(
            "Distance of colour", lambda text: read_number(text, "ΔE", 1, 100, "differences"), self
        )
        self.window_slider = Slider("Window", 1.0, 200.0, self)
        self.distance_slider = Slider("Distance of colour", 1.0, 100.0, self)
        self.pick = QPushButton("Pick a colour", self)
        self.pick.setObjectName("pick-colour")
        self._swatches = QHBoxLayout()
        self._swatches_shown: tuple[Any, ...] | None = None
        self._rows = {
            "band": boxed(self, row(heading("From"), self.low, heading("to"), self.high, None)),
            "local": boxed(
                self, row(heading("Window"), None, self.window_side), row(self.window_slider)
            ),
            "colour": boxed(
                self,
                row(heading("Colours"), None, self.pick),
                self._swatches,
                row(heading("Up to ΔE 2000 of"), None, self.distance),
                row(self.distance_slider),
            ),
        }
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(5)
        inside.addWidget(self.mode)
        inside.addWidget(self.meaning)
        for box in self._rows.values():
            inside.addWidget(box)
        for field in (self.low, self.high):
            field.setFixedWidth(64)
        self._connect()

    def _connect(self) -> None:
        self.mode.chosen.connect(self._choose)
        self.low.typed.connect(lambda v: self._band(v, self._session.job.trace.band[1]))
        self.high.typed.connect(lambda v: self._band(self._session.job.trace.band[0], v))
        self.window_side.typed.connect(lambda v: self._set("Window", window=v))
        self.distance.typed.connect(lambda v: self._set("Distance of colour", colour_distance=v))
        self.window_slider.slid.connect(self._slide_window)
        self.distance_slider.slid.connect(self._slide_distance)
        for slider in (self.window_slider, self.distance_slider):
            slider.let_go.connect(self.drop)
        self.pick.clicked.connect(self._start)
        self.bench.done.connect(self._take)
        for field in (self.low, self.high, self.window_side, self.distance):
            field.wrong.connect(self.wrong)

    def _choose(self, mode: str) -> None:
        if mode == "colour" and not self._session.job.trace.colours:
            self.mode.set_chosen(self._session.job.trace.mode)
            self._start()
            return
        self._set(f"Told apart by {_MODES[mode].lower()}", mode=mode, split=0)

    def _band(self, low: float, high: float) -> None:
        self._set("Band", band=(low, high))

    def drag_band(self, low: float, high: float) -> None:
        """Take a band under the hand, and show at once what it holds."""
        inside = (np.arange(256) >= low) & (np.arange(256) <= high)
        self._table.preview(inside != self._session.job.trace.invert)
        self._set("Band", "band", band=(low, high))

    def drop(self) -> None:
        """End a drag."""
        self._table.preview(None)
        self._session.end_merge()

    def _slide_window(self, value: float) -> None:
        window = rounded(value)
        if self.window_slider.isSliderDown():
            size, counts = self._table.mm_per_px, np.array(self._tracing.counts)
            dark = not self._session.job.trace.invert

            def rule(grey: NDArray[np.uint8], wide: float) -> NDArray[np.bool_]:
                from silhueta.core.trace.edge.field import edge_around

                below: NDArray[np.bool_] = grey < edge_around(grey, window / size / wide, counts)
                return below if dark else ~below

            self._table.preview(rule)
        self._set("Window", "window", window=window)

    def _slide_distance(self, value: float) -> None:
        distance = float(round(value))
        field = self._tracing.colour_field()
        if self.distance_slider.isSliderDown() and field is not None:
            near = np.arange(256) < distance
            self._table.preview(near != self._session.job.trace.invert, field)
        self._set("Distance of colour", "distance", colour_distance=distance)

    def _start(self) -> None:
        self._table.start_pick(1, self._picked)

    def _picked(self, points: list[tuple[float, float]]) -> None:
        file = self._session.job.picture
        if file is None:
            return
        ((x, y),) = self._in_photo(points)

        def colour(_: object) -> tuple[int, int, int]:
            from silhueta.core.picture.decode import colour_at

            return colour_at(file, x, y)

        self.bench.ask("Picking the colour", colour, file)

    def _take(self, colour: tuple[int, int, int], asked: object) -> None:
        if asked is self._session.job.picture:
            colours = (*self._session.job.trace.colours, colour)
            self._set("Pick a colour", mode="colour", colours=colours, split=0)

    def _drop(self, number: int) -> None:
        colours = list(self._session.job.trace.colours)
        del colours[number]
        mode = "colour" if colours else "threshold"
        self._set("Drop a colour", colours=tuple(colours), mode=mode)

    def refresh(self, job: Job) -> None:
        """Show the mode and its settings."""
        settings: TraceSettings = job.trace
        self.mode.set_chosen(settings.mode)
        self.mode.setVisible(not settings.split)
        self.meaning.say(
            f"Split into {settings.split} main colours, each with its own loops. To tell the part "
            "apart otherwise, type 0 at Main colours, under More."
            if settings.split
            else _MEANINGS[settings.mode]
        )
        for mode, box in self._rows.items():
            box.setVisible(mode == settings.mode and not settings.split)
        self.low.show_value(f"{settings.band[0]:.0f}")
        self.high.show_value(f"{settings.band[1]:.0f}")
        self.window_side.show_value(format_length(settings.window, self._session.units, 1))
        self.window_slider.show_value(settings.window)
        self.distance_slider.show_value(settings.colour_distance)
        self.distance.show_value(f"{settings.colour_distance:g} ΔE")
        if settings.colours != self._swatches_shown:
            self._swatches_shown = settings.colours
            while (item := self._swatches.takeAt(0)) is not None:
                widget = item.widget()
                if widget is not None:
                    widget.hide()
                    widget.deleteLater()
            for number, colour in enumerate(settings.colours):
                name = "#{:02x}{:02x}{:02x}".format(*colour)
                button = QPushButton(name, self)
                dark = sum(colour) < 380
                button.setStyleSheet(
                    f"background: {name}; color: {'white' if dark else 'black'}; padding: 2px 6px"
                )
                button.setToolTip(f"Picked colour {name}: click to drop it")
                button.clicked.connect(lambda _=False, n=number: self._drop(n))
                self._swatches.addWidget(button)
            self._swatches.addStretch(1)
