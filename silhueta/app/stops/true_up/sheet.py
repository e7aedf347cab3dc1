"""Worksheet of the stop True up."""

from __future__ import annotations

from PySide6.QtWidgets import QWidget

from silhueta.app.edit_queue import EditQueue
from silhueta.app.session import Session
from silhueta.app.states import no_picture
from silhueta.app.stops.paged import PagedWorksheet
from silhueta.app.stops.true_up.caliper_list import CaliperList
from silhueta.app.stops.true_up.hand_page import HandPage
from silhueta.app.stops.true_up.offers import TrueUpOffers
from silhueta.app.table.table import Table
from silhueta.app.table.tool import Tool
from silhueta.app.tracing import Tracing
from silhueta.core.job import Job, is_stale
from silhueta.core.truing.apply import Trued
from silhueta.core.wording import counted


def _job_of(made: Job | tuple[Job, Trued]) -> Job:
    """Return the job of an edit, which may tell besides what was made exact."""
    return made[0] if isinstance(made, tuple) else made


class TrueUpSheet(PagedWorksheet):
    """What the shape seems to mean, taken and held."""

    overlays = ("lit", "offers", "calipers", "chosen")

    def __init__(
        self, session: Session, tracing: Tracing, table: Table, parent: QWidget | None = None
    ) -> None:
        super().__init__(session, table, parent)
        self.edits = EditQueue(session, "Making exact", self, _job_of)
        self.offers = TrueUpOffers(session, tracing, table, self.edits, self)
        self.calipers = CaliperList(session, tracing, table, self.edits, self)
        self.benches = (self.offers.bench, self.edits.bench)
        self.by_hand = HandPage(session, tracing, table, self.edits, self)
        self.tools = (self.calipers.tool, self.by_hand.tool)
        for page in (self.offers, self.calipers, self.by_hand):
            page.wrong.connect(self.tell)
        self.add_pages(
            {"offers": "Offers", "calipers": "Caliper list", "hand": "By hand"},
            {"offers": self.offers, "calipers": self.calipers, "hand": self.by_hand},
        )

    def tool_of(self, page: str) -> Tool | None:
        """Return the tool that picks edges and holes, where they are picked."""
        picking = {"calipers": self.calipers, "hand": self.by_hand}
        return picking[page].tool if page in picking else None

    def refresh(self, job: Job) -> None:
        """Show offers and what holds."""
        if not job.outline.contours:
            self.say_result(no_picture(job) if job.picture is None else "Nothing is traced yet.")
            self.way_on("there is no outline yet")
            return
        self.shown.refresh(job)
        count = len(job.relations)
        self.say_result(
            f"{counted(count, 'relation')} held exactly."
            if count
            else "Traced as seen: nothing is held exactly yet."
        )
        self.way_on("the trace is not done yet" if is_stale(job) else "")
