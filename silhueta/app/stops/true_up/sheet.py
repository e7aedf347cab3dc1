"""Worksheet of the stop True up."""

from __future__ import annotations

from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import QWidget

from silhueta.app.session import Session
from silhueta.app.states import no_picture
from silhueta.app.stops.true_up.caliper_list import CaliperList
from silhueta.app.stops.true_up.hand_page import HandPage
from silhueta.app.stops.true_up.offers import TrueUpOffers
from silhueta.app.stops.worksheet import Worksheet
from silhueta.app.table.table import Table
from silhueta.app.tracing import Tracing
from silhueta.app.widgets import Choice, Note
from silhueta.core.job import Job, is_stale
from silhueta.core.wording import counted


class TrueUpSheet(Worksheet):
    """What the shape seems to mean, taken and held."""

    def __init__(
        self, session: Session, tracing: Tracing, table: Table, parent: QWidget | None = None
    ) -> None:
        super().__init__(session, parent)
        self._table = table
        self.page = Choice(
            "Page", {"offers": "Offers", "calipers": "Caliper list", "hand": "By hand"}, self
        )
        self.fault = Note()
        self.offers = TrueUpOffers(session, tracing, table, self)
        self.calipers = CaliperList(session, tracing, table, self)
        self.benches = (self.offers.bench,)
        self.by_hand = HandPage(session, tracing, table, self)
        self._pages: dict[str, TrueUpOffers | CaliperList | HandPage] = {
            "offers": self.offers,
            "calipers": self.calipers,
            "hand": self.by_hand,
        }
        self.body.addWidget(self.page)
        self.body.addWidget(self.fault)
        for page in self._pages.values():
            self.body.addWidget(page, 1)
            page.wrong.connect(lambda text: self.fault.say(text, bool(text)))
        self._present = "offers"
        self.page.chosen.connect(self.show_page)
        self.next.clicked.connect(self.go_on)
        self.show_page("offers")
        self.connect_job()
        self.body.setStretch(self.body.count() - 1, 0)  # the pages take the room themselves

    def show_page(self, key: str) -> None:
        """Show one of the pages."""
        self._present = key
        self.page.set_chosen(key)
        for name, page in self._pages.items():
            page.setVisible(name == key)
        self.fault.say("")
        self._leave_table()
        if self.isVisible():
            self._take_table()
            self.refresh(self.session.job)

    def _take_table(self) -> None:
        page = self._pages[self._present]
        if not isinstance(page, TrueUpOffers):
            page.take_hand()

    def _leave_table(self) -> None:
        if self._table.tool in (self.calipers.tool, self.by_hand.tool):
            self._table.set_tool(None)
        for name in ("lit", "offers", "calipers", "chosen"):
            self._table.set_overlay(name, None)

    def showEvent(self, event: QShowEvent) -> None:
        """Take the table into the hand where edges are picked."""
        self._take_table()
        super().showEvent(event)

    def hideEvent(self, event: QHideEvent) -> None:
        """Take what it points at from the table."""
        super().hideEvent(event)
        self._leave_table()

    def refresh(self, job: Job) -> None:
        """Show offers and what holds."""
        if not job.outline.contours:
            self.say_result(no_picture(job) if job.picture is None else "Nothing is traced yet.")
            self.way_on("there is no outline yet")
            return
        self._pages[self._present].refresh(job)
        count = len(job.relations)
        self.say_result(
            f"{counted(count, 'relation')} held exactly."
            if count
            else "Traced as seen: nothing is held exactly yet."
        )
        self.way_on("the trace is not done yet" if is_stale(job) else "")
