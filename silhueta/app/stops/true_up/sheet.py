"""Worksheet of the stop True up."""

from __future__ import annotations

from PySide6.QtGui import QHideEvent
from PySide6.QtWidgets import QWidget

from silhueta.app.session import Session
from silhueta.app.states import no_picture
from silhueta.app.stops.true_up.offers import TrueUpOffers
from silhueta.app.stops.worksheet import Worksheet
from silhueta.app.table.table import Table
from silhueta.app.tracing import Tracing
from silhueta.app.widgets import Note
from silhueta.core.job import Job, is_stale
from silhueta.core.wording import counted


class TrueUpSheet(Worksheet):
    """What the shape seems to mean, taken and held."""

    def __init__(
        self, session: Session, tracing: Tracing, table: Table, parent: QWidget | None = None
    ) -> None:
        super().__init__(session, parent)
        self._table = table
        self.fault = Note()
        self.offers = TrueUpOffers(session, tracing, table, self)
        self.benches = (self.offers.bench,)
        self.body.addWidget(self.fault)
        self.body.addWidget(self.offers, 1)
        self.offers.wrong.connect(lambda text: self.fault.say(text, bool(text)))
        self.next.clicked.connect(self.go_on)
        self.connect_job()

    def hideEvent(self, event: QHideEvent) -> None:
        """Take what it points at from the table."""
        super().hideEvent(event)
        for name in ("lit", "offers"):
            self._table.set_overlay(name, None)

    def refresh(self, job: Job) -> None:
        """Show offers and what holds."""
        if not job.outline.contours:
            self.say_result(no_picture(job) if job.picture is None else "Nothing is traced yet.")
            self.way_on("there is no outline yet")
            return
        self.offers.refresh(job)
        count = len(job.relations)
        self.say_result(
            f"{counted(count, 'relation')} held exactly."
            if count
            else "Traced as seen: nothing is held exactly yet."
        )
        self.way_on("the trace is not done yet" if is_stale(job) else "")
