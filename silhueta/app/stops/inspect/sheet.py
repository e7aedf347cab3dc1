"""Worksheet of the stop Inspect."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import QGridLayout, QLabel, QPushButton, QWidget

from silhueta.app.edit_queue import EditQueue
from silhueta.app.inspecting import Inspecting, can_look, found_in
from silhueta.app.look.theme import FAINT, font
from silhueta.app.session import Session
from silhueta.app.stops.inspect.card import FindingCard
from silhueta.app.stops.inspect.finding_list import FindingList, WavedList
from silhueta.app.stops.inspect.held import HeldAgainst
from silhueta.app.stops.inspect.layers import FindingLayer, FindingTool, SheetLayer
from silhueta.app.stops.inspect.views import VIEWS, Views
from silhueta.app.stops.near import bring_near
from silhueta.app.stops.worksheet import Worksheet
from silhueta.app.table.table import Table
from silhueta.app.widgets import Choice, Note, heading, sentence
from silhueta.core.datum.fixing import true_size
from silhueta.core.errors import SilhuetaError
from silhueta.core.inspection.finding import Finding, Remedy
from silhueta.core.inspection.limits import limits_of, sheet_box
from silhueta.core.inspection.mending import mend_one
from silhueta.core.inspection.registry import HEADS
from silhueta.core.inspection.waving import take_back, wave
from silhueta.core.job import Job, is_stale
from silhueta.core.units import lengths_in
from silhueta.core.wording import counted

_OVERLAYS = ("sheet", "look", "findings")
_EDGES = 60  # px at both sides of what the brass button says
_CLOSE = 12.0  # mm about a finding that are shown with it, where it reaches over less


class InspectSheet(Worksheet):
    """What it is held against, what was found, how to look at it; the first thing to mend."""

    def __init__(
        self, session: Session, inspecting: Inspecting, table: Table, parent: QWidget | None = None
    ) -> None:
        super().__init__(session, parent)
        self.table, self.inspecting = table, inspecting
        self.found: tuple[Finding, ...] = ()
        self.chosen: int | None = None
        self._sought = True  # whether a first finding is to be chosen once some are known
        self.view, self._other_side = "findings", False
        self.edits = EditQueue(session, "Mending", self)
        self.views = Views(session, self)
        self.benches = (self.edits.bench, self.views.bench)
        self.held = HeldAgainst(session, self)
        self.fault = Note(parent=self)
        self.look = Choice("Look at", VIEWS, self, 2)
        self.other = QPushButton("See the other side", self)
        self.other.setObjectName("other-side")
        self.other.setCheckable(True)
        self.figures = QGridLayout()
        self.list = FindingList(self)
        self.passed = WavedList(self)
        self.card = FindingCard(table)
        self.layer: FindingLayer | None = None
        self.tool = FindingTool(lambda: self.layer, self.choose)
        for item in (
            self.held,
            self.fault,
            heading("Look at"),
            self.look,
            self.other,
        ):
            self.body.addWidget(item)
        self.body.addLayout(self.figures)
        self.body.addWidget(self.list)
        self.body.addWidget(self.passed)
        self._connect()
        self.connect_job()

    def _connect(self) -> None:
        self.held.wrong.connect(self._tell)
        self.held.changed.connect(self._seek)
        self.look.chosen.connect(self.show_view)
        self.other.toggled.connect(self._turn_over)
        self.list.chosen.connect(self.choose_and_frame)
        self.passed.taken_back.connect(
            lambda one: self.session.apply("Finding taken back", partial(take_back, waved=one))
        )
        self.card.mend.connect(self.mend)
        self.card.pass_on.connect(self._wave)
        self.card.closed.connect(lambda: self.choose(None))
        self.views.made.connect(self.renew)
        self.inspecting.changed.connect(self.renew)
        self.session.units_changed.connect(self.renew)
        self.next.clicked.connect(self._do_next)

    def showEvent(self, event: QShowEvent) -> None:
        """Show solid pieces; take the table into the hand."""
        self.table.set_filled(True, nodes=False)
        self.table.set_tool(self.tool)
        self._sought = self.chosen is None
        super().showEvent(event)
        bring_near(self.table, self.session.job)

    def hideEvent(self, event: QHideEvent) -> None:
        """Give it back."""
        super().hideEvent(event)
        self.table.set_filled(False)
        if self.table.tool is self.tool:
            self.table.set_tool(None)
        for name in _OVERLAYS:
            self.table.set_overlay(name, None)
        self.card.put_away()

    # what is done

    def _tell(self, text: str) -> None:
        self.fault.say(text, bool(text))

    def _seek(self) -> None:
        """Choose the first of what will be found, unless one is chosen already."""
        self._sought = self.chosen is None

    def show_view(self, view: str) -> None:
        """Look at the part in one of the ways."""
        self.view = view
        if view != "findings":
            self.chosen = None
        self.renew()

    def _turn_over(self, on: bool) -> None:
        self._other_side = on
        self.renew()

    def choose(self, place: int | None) -> None:
        """Choose a finding, by its place among those that are open; None: none."""
        self.chosen, self._sought = place, False
        if place is not None:
            self.view = "findings"
        self.renew()

    def choose_and_frame(self, place: int) -> None:
        """Choose a finding, and bring it into view with what is round it."""
        self.choose(place)
        if not 0 <= place < len(self.found):
            return
        left, bottom, right, top = self.found[place].extent
        x, y = self.found[place].place
        box = QRectF(left, bottom, right - left, top - bottom)
        self.table.show_box(box.united(QRectF(x - _CLOSE, y - _CLOSE, 2 * _CLOSE, 2 * _CLOSE)))
        self.card.place()

    def mend(self, which: int) -> None:
        """Take one of the remedies of the chosen finding: a step, or the stop where it is done."""
        one = self._chosen
        if one is None:
            return
        remedy = one.remedies[which]
        if remedy.edit is None:
            self.go.emit(remedy.stop)
            return
        label = f"Mended: {HEADS[one.code].lower()}"
        self._tell("")
        self._sought, self.chosen = True, None
        self.edits.do(
            label,
            lambda job, _: mend_one(job, one, which, limits_of(job)),
            failed=lambda error: self._tell(sentence(str(error))),
        )

    def _wave(self, reason: str) -> None:
        one = self._chosen
        if one is None:
            return
        try:
            self.session.apply("Finding waved through", partial(wave, found=one, reason=reason))
        except SilhuetaError as error:
            self._tell(sentence(str(error)))
            return
        self._tell("")
        self._sought, self.chosen = True, None
        self.renew()

    def _do_next(self) -> None:
        remedy = self._first_remedy()
        if remedy is None:
            self.go_on()
        else:
            one = self._chosen
            assert one is not None
            self.mend(one.remedies.index(remedy))

    @property
    def _chosen(self) -> Finding | None:
        if self.chosen is None or self.chosen >= len(self.found):
            return None
        return self.found[self.chosen]

    def _first_remedy(self) -> Remedy | None:
        """Return the first remedy of the chosen finding, if it is a step of its own."""
        one = self._chosen
        if one is None or one.severity == "look":
            return None
        return next((remedy for remedy in one.remedies if remedy.edit is not None), None)

    # what is shown

    def refresh(self, job: Job) -> None:
        """Show what is found, and the present look."""
        units = self.session.units
        known = found_in(job) if can_look(job) else None
        self.held.refresh(job)
        if known is not None:
            self._take(known.open)
        elif not can_look(job):
            self.found, self.chosen = (), None
        self.look.set_chosen(self.view)
        self.other.setVisible(self.view == "goes")
        self._show_figures(job)
        self.list.setVisible(self.view == "findings")
        self.list.show_findings(self.found, HEADS, self.chosen, units)
        self.passed.show_passed(known.waved if known is not None else (), HEADS)
        self._paint(job)
        self._say(job, looking=known is None)

    def _take(self, found: tuple[Finding, ...]) -> None:
        """Take what was found; what was chosen stays chosen as long as it is there."""
        if found is self.found:
            return
        one = self._chosen
        self.found = found
        if one is not None:
            alike = (k for k, f in enumerate(found) if (f.code, f.place) == (one.code, one.place))
            self.chosen = next(alike, None)
        elif self._sought and found and found[0].severity != "look" and self.view == "findings":
            self.chosen = 0
        self._sought = False

    def _show_figures(self, job: Job) -> None:
        self.views.look(job, self.view)
        while (item := self.figures.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        for place, (name, value) in enumerate(self.views.told(job, self.view, self.session.units)):
            label, shown = QLabel(name, self), QLabel(value, self)
            label.setStyleSheet(f"color: {FAINT.name()}")
            for one in (label, shown):
                one.setFont(font(13))
                one.setWordWrap(True)
            self.figures.addWidget(label, place, 0, Qt.AlignmentFlag.AlignTop)
            self.figures.addWidget(shown, place, 1)
        self.figures.setColumnStretch(1, 1)
        if self.views.failure and self.view != "findings":
            self._tell(sentence(self.views.failure))

    def _paint(self, job: Job) -> None:
        if not self.isVisible():
            return
        limits, units = limits_of(job), self.session.units
        box = sheet_box(limits) if can_look(job) else None
        sheet = None if box is None else SheetLayer(box, limits.margin or 0.0, units)
        look = self.views.layer(job, self.view, self._other_side, units)
        shows = self.view == "findings" and bool(self.found)
        self.layer = FindingLayer(self.found, self.chosen, units) if shows else None
        for name, layer in zip(_OVERLAYS, (sheet, look, self.layer), strict=True):
            self.table.set_overlay(name, None)  # so that they are painted in this order
            self.table.set_overlay(name, layer)
        one = self._chosen
        if one is None or not shows:
            self.card.put_away()
        else:
            assert self.chosen is not None
            self.card.show_finding(one, self.chosen + 1, HEADS[one.code], units, job.outline)

    def _say(self, job: Job, looking: bool) -> None:
        """Say what came of it, and name the way on."""
        if not job.outline.contours:
            self.say_result("There is no outline yet: open a picture or a drawing.")
        elif not true_size(job):
            self.say_result("Nothing is held against limits before its size is known.", True)
        elif is_stale(job):
            self.say_result("The trace is not done yet.")
        elif self.inspecting.failure:
            self.say_result(sentence(self.inspecting.failure), True)
        elif looking:
            self.say_result("Looking…")
        else:
            self._say_found()
        remedy = self._first_remedy()
        if remedy is not None:
            text = lengths_in(remedy.text, self.session.units)
            whole = f"Mend it: {text[:1].lower()}{text[1:]}"
            room = self.width() - _EDGES
            fits = self.next.fontMetrics().horizontalAdvance(whole) < room
            self.set_next(whole if fits else "Mend it")
            self.next.setToolTip(whole)
            self.next.setAccessibleDescription(whole)
        else:
            self.way_on("" if job.outline.contours else "there is no outline yet")

    def _say_found(self) -> None:
        stops = sum(one.severity == "stop" for one in self.found)
        hurts = sum(one.severity == "hurt" for one in self.found)
        looks = len(self.found) - stops - hurts
        told = []
        if stops:
            told.append(f"{counted(stops, 'finding')} {'stops' if stops == 1 else 'stop'} the cut")
        if hurts:
            told.append(f"{hurts if told else counted(hurts, 'finding')} will hurt")
        if looks:
            first = str(looks) if told else counted(looks, "finding")
            told.append(f"{first} {'is' if looks == 1 else 'are'} worth a look")
        if told:
            self.say_result(sentence(", ".join(told)), fault=bool(stops or hurts))
        else:
            self.say_result("Nothing was found that would go wrong.")
