"""Part of the Trace worksheet: what the picture is taken for, and one click to another reading."""

from __future__ import annotations

from dataclasses import replace
from typing import cast

from PySide6.QtWidgets import QVBoxLayout, QWidget

from silhueta.app.session import Session
from silhueta.app.stops.trace.part import TracePart
from silhueta.app.table.table import Table
from silhueta.app.tracing import Tracing
from silhueta.app.widgets import Choice, Note, heading, row, sentence
from silhueta.core.job import Job, TraceSettings, set_trace
from silhueta.core.trace_settings import Blend, Read
from silhueta.core.units import format_length
from silhueta.core.wording import open_blend

_READINGS = {"part": "Part", "solid": "Solid", "line": "Drawing", "colours": "Colours"}
_MEANINGS = {
    "part": "A photo of a part: it is found by its look.",
    "solid": "A solid {side} shape on even ground.",
    "line": "A line drawing: the middle of its line is cut.",
    "colours": "Flat colours, each with its own loops.",
}
_LIGHT = {
    "linear": " Edges in linear light.",
    "stored": " Drawn by a program: edges in its own values.",
    "auto": "",
}


_BLENDED = {"linear": "As light", "stored": "By a program"}


class TraceReading(TracePart):
    """Shows the reading; another one sets the other controls as they suit it."""

    def __init__(
        self, session: Session, tracing: Tracing, table: Table, parent: QWidget | None = None
    ) -> None:
        super().__init__(session, tracing, table, parent)
        self.reading = Choice("Taken for", _READINGS, self, columns=4)
        self.meaning = Note(parent=self)
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(5)
        inside.addLayout(row(heading("Taken for")))
        inside.addWidget(self.reading)
        inside.addWidget(self.meaning)
        self.open = Note(parent=self)
        self.light = Choice("Blended", _BLENDED, self, columns=2)
        inside.addWidget(self.open)
        inside.addWidget(self.light)
        self.light.chosen.connect(
            lambda key: self._session.apply(
                f"Blended {_BLENDED[key].lower()}",
                lambda job: set_trace(job, replace(job.trace, light=cast("Blend", key))),
            )
        )
        self.reading.chosen.connect(self._choose)
        self.bench.done.connect(self._take)

    def _choose(self, kind: str) -> None:
        job, picture = self._session.job, self._tracing.picture
        if picture is None:
            return
        read = cast("Read", kind)

        def settings() -> TraceSettings:
            from silhueta.core.trace.job_trace import read_job

            return read_job(job, picture, read)[0].trace

        self.bench.ask("Reading", lambda _: settings(), job)

    def _take(self, settings: TraceSettings, asked: Job) -> None:
        if self._session.job.picture is asked.picture:
            name = _READINGS[str(settings.read)].lower()
            self._session.apply(f"Taken for {name}", lambda job: set_trace(job, settings))

    def refresh(self, job: Job) -> None:
        """Show what the picture is taken for."""
        self.setVisible(job.picture is not None)
        kind = job.trace.read
        if kind is None:
            self.reading.clear_chosen()
            self.meaning.say("Set by hand. Choose one to have the rest set for it.")
            return
        self.reading.set_chosen(kind)
        found = self._tracing.light
        chosen = found if job.trace.light == "auto" else job.trace.light
        light = _LIGHT["auto" if chosen is None else chosen]
        apart = 0.0 if job.traced is None else job.traced.blend_mm
        asked = bool(apart) or job.trace.light != "auto"
        self.open.setVisible(bool(apart))
        self.light.setVisible(asked)
        if apart:
            self.open.say("▲ " + sentence(open_blend(format_length(apart, self._session.units, 3))))
        if asked and chosen is not None:
            self.light.set_chosen(chosen)
        side = "light" if job.trace.invert else "dark"
        self.meaning.say(_MEANINGS[kind].format(side=side) + light)
