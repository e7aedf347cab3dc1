"""Part of the True up worksheet: what the shape seems to mean, and what holds already."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import TYPE_CHECKING, cast

from PySide6.QtCore import Signal
from PySide6.QtGui import QEnterEvent
from PySide6.QtWidgets import QPushButton, QSizePolicy, QVBoxLayout, QWidget

from silhueta.app.session import Session
from silhueta.app.stops.true_up.words import WORDS, in_units, relation_told, told
from silhueta.app.table.marked_layer import LitLayer, OfferLayer
from silhueta.app.widgets import Choice, Note, clear, heading, row, sentence
from silhueta.app.work import Bench
from silhueta.core.errors import TruingError
from silhueta.core.job import Job, is_stale
from silhueta.core.relations import Relation
from silhueta.core.truing.apply import Trued, noise_of
from silhueta.core.truing.edits import (
    Held,
    held,
    hold_again,
    level,
    not_held,
    release,
    take_all,
    take_offers,
)
from silhueta.core.truing.merge import simpler
from silhueta.core.truing.offer import KINDS, LIKELY, OfferKind, TruingOffer
from silhueta.core.truing.offers import Found, find_offers
from silhueta.core.truing.sizes import Table as Sizes
from silhueta.core.wording import counted
from silhueta.core.work import Work

if TYPE_CHECKING:
    from silhueta.app.edit_queue import EditQueue
    from silhueta.app.table.table import Table
    from silhueta.app.tracing import Tracing

_Made = tuple[Job, Trued]
_LISTED = 40  # offers of one kind that are told one by one
_SURE = 95  # %
_TOLD, _NAMED = 0.5, 0.1  # share, from which an offer is told at all; a size, with its rivals


class _Line(QWidget):
    """A line of the list of what holds."""

    pointed_at = Signal()

    def enterEvent(self, event: QEnterEvent) -> None:
        """Tell that the hand is here."""
        super().enterEvent(event)
        self.pointed_at.emit()


class TrueUpOffers(QWidget):
    """Looks for offers beside the interface whenever the outline changes while it is shown."""

    wrong = Signal(str)

    def __init__(
        self,
        session: Session,
        tracing: Tracing,
        table: Table,
        edits: EditQueue,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self._session, self._tracing, self._table, self._edits = session, tracing, table, edits
        self.found = Found([], [])
        self._for: tuple[object, ...] = ()
        self.shown: OfferKind | None = None
        self.bench = Bench(self)
        self.bench.done.connect(self._take_found)
        self.bench.failed.connect(lambda text: self.wrong.emit(sentence(text)))
        self.sizes = Choice("Hole sizes", {"mm": "mm", "drill": "Drills", "inch": "Inch"}, self)
        self.sizes.set_chosen("mm")
        self._table_of_sizes: Sizes = "mm"
        self.level = QPushButton("Turn the longest edge level", self)
        self.level.setObjectName("level")
        self.state = Note(parent=self)
        self.rows, self.held = QVBoxLayout(), QVBoxLayout()
        self.least = Choice("How sure", {"95": "Sure", "80": "80 %", "60": "60 %"}, self)
        self.least.set_chosen("95")
        self._least = 95
        self.sure = QPushButton("Take what is sure", self)
        self.sure.setObjectName("take-sure")
        self.again = QPushButton("Make them hold again", self)
        self.again.setObjectName("hold-again")
        self._lay_out()
        self.sizes.chosen.connect(self._choose_sizes)
        self.least.chosen.connect(self._choose_least)
        self.sure.clicked.connect(lambda: self._take_all())
        self.level.clicked.connect(self._level)
        self.again.clicked.connect(lambda: self._apply("Made to hold again", hold_again))

    def _lay_out(self) -> None:
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(5)
        for layout in (self.rows, self.held):
            layout.setSpacing(4)
        inside.addWidget(self.state)
        inside.addLayout(row(heading("At least", self), self.least))
        inside.addWidget(self.sure)
        inside.addLayout(self.rows)
        inside.addWidget(heading("Hole sizes", self))
        inside.addWidget(self.sizes)
        inside.addWidget(self.level)
        self.held_heading = heading("Held", self)
        inside.addWidget(self.held_heading)
        inside.addLayout(self.held)
        inside.addWidget(self.again)
        inside.addStretch(1)

    @property
    def told(self) -> list[TruingOffer]:
        """The offers that are told: likely enough, and not held already."""
        return [
            offer
            for offer in not_held(self.found.offers, self._session.job)
            if offer.share >= (_NAMED if offer.kind == "size" else _TOLD)
        ]

    @property
    def _enough(self) -> list[TruingOffer]:
        """The offers that are as sure as was chosen; at the surest such that move little."""
        if self._least >= _SURE:
            return [offer for offer in self.told if offer.safe]
        return [offer for offer in self.told if offer.share >= self._least / 100]

    def _choose_least(self, key: str) -> None:
        self._least = int(key)
        self._show()

    # found beside the interface

    def refresh(self, job: Job) -> None:
        """Show what holds; look for offers where they are not those of the present outline."""
        self._show_held(held(job))
        if not self.isVisible() or is_stale(job) or not job.outline.taken:
            return
        wanted = (job.outline, self._table_of_sizes)
        if self._for and self._for[0] is wanted[0] and self._for[1] == wanted[1]:
            self._show()
            return
        self._for = wanted
        outline, sizes = wanted
        noise = noise_of(job, self._tracing.flat)
        self.state.say("Looking…")
        self.bench.ask(
            "Looking for what it means",
            lambda _: find_offers(simpler(outline, noise), noise, sizes),
            wanted,
        )

    def _take_found(self, found: object, asked: object) -> None:
        del asked
        if isinstance(found, Found):
            self.found = found
            self._show()

    def _show(self) -> None:
        clear(self.rows)
        offers = self.told
        count = len(self._enough)
        self.state.say(
            "Nothing more that it seems to mean."
            if not offers
            else "Click one to see where. What is sure moves nothing beyond its uncertainty."
        )
        what = "sure offer" if self._least >= _SURE else f"offer of {self._least} % or more"
        many = what.replace("offer", "offers")
        self.sure.setText(f"Take {counted(count, what, many)}" if count else "Take what is sure")
        self.sure.setEnabled(bool(count))
        self.sure.setToolTip("" if count else "there is nothing that is as sure")
        for kind in KINDS:
            mine = [offer for offer in offers if offer.kind == kind]
            if mine:
                self._add_kind(kind, mine)
        self._show_places()

    def _add_kind(self, kind: OfferKind, mine: Sequence[TruingOffer]) -> None:
        show = QPushButton(told(kind, len(mine)), self)
        show.setCheckable(True)
        show.setObjectName(f"show-{kind}")
        show.setStyleSheet("text-align: left")
        show.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        show.setChecked(self.shown == kind)
        show.clicked.connect(lambda on, k=kind: self._choose_kind(k if on else None))
        likely = [offer for offer in mine if offer.share >= LIKELY]
        accept = QPushButton("Take", self)
        accept.setObjectName(f"take-{kind}")
        accept.setFixedWidth(64)
        accept.setEnabled(bool(likely))
        accept.setToolTip(
            f"{WORDS[kind][2]}: {counted(len(likely), 'offer')} of at least 80 %"
            if likely
            else "none is at least 80 % likely; take them one by one"
        )
        accept.clicked.connect(lambda _=False: self._take(likely, WORDS[kind][2]))
        line = QWidget(self)
        layout = row(show, accept)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setStretch(0, 1)
        line.setLayout(layout)
        self.rows.addWidget(line)
        if self.shown == kind:
            for number, offer in enumerate(mine[:_LISTED], 1):
                self.rows.addWidget(self._one(number, offer))

    def _one(self, number: int, offer: TruingOffer) -> QWidget:
        line = QWidget(self)
        note = Note(parent=line)
        units = self._session.units
        percent = min(99, round(100 * offer.share))
        note.say(f"{number}. {sentence(in_units(offer.text, units))} {percent}\u00a0%\u00a0sure.")
        take = QPushButton("Take", line)
        take.setObjectName(f"take-one-{number}")
        take.setFixedWidth(64)
        take.clicked.connect(lambda _=False: self._take([offer], WORDS[offer.kind][2]))
        layout = row(note, take)
        layout.setContentsMargins(8, 0, 0, 0)
        layout.setStretch(0, 1)
        line.setLayout(layout)
        return line

    def _choose_kind(self, kind: OfferKind | None) -> None:
        self.shown = kind
        self._show()

    def _show_places(self) -> None:
        mine = [offer for offer in self.told if offer.kind == self.shown]
        unsure = [k for k, offer in enumerate(mine) if offer.share < LIKELY]
        layer = OfferLayer([offer.place for offer in mine], unsure) if mine else None
        self._table.set_overlay("offers", layer if self.isVisible() else None)

    def _choose_sizes(self, key: str) -> None:
        self._table_of_sizes = cast("Sizes", key)
        self.refresh(self._session.job)

    # what holds

    def _show_held(self, relations: Sequence[Held]) -> None:
        clear(self.held)
        self.held_heading.setVisible(bool(relations))
        broken = sum(one.state != "holds" for one in relations)
        self.again.setVisible(bool(broken))
        for one in relations[:_LISTED]:
            line = _Line(self)
            note = Note(parent=line)
            told_ = relation_told(one.relation, self._session.units)
            state = {"holds": "", "off": f", {one.off:.2f} mm off", "gone": ", its edge is gone"}
            note.say(told_ + state[one.state], one.state != "holds")
            free = QPushButton("Release", line)
            free.setFixedWidth(72)
            free.setToolTip("Let it move again; nothing moves now")
            free.clicked.connect(
                lambda _=False, r=one.relation: self._apply(
                    "Released a relation", lambda job: release(job, r)
                )
            )
            layout = row(note, free)
            layout.setContentsMargins(0, 0, 0, 0)
            layout.setStretch(0, 1)
            line.setLayout(layout)
            line.pointed_at.connect(partial(self._light, one.relation))
            self.held.addWidget(line)

    def _light(self, relation: Relation) -> None:
        keys = {ref.key for ref in relation.refs}
        paths = [c.path for c in self._session.job.outline.contours if c.key in keys]
        self._table.set_overlay("lit", LitLayer(paths) if paths else None)

    # taken

    def _level(self) -> None:
        noise = noise_of(self._session.job, self._tracing.flat)
        self._apply("Turned level", lambda job: level(job, noise))

    def _apply(self, label: str, edit: Callable[[Job], Job]) -> None:
        self._edits.do(
            label,
            lambda job, _: edit(job),
            done=lambda _: self.wrong.emit(""),
            failed=self._tell,
        )

    def _tell(self, error: Exception | str) -> None:
        self.wrong.emit(sentence(str(error)))

    def _make(self, what: str, edit: Callable[[Job, Work], _Made]) -> None:
        """Take offers as one step, beside the interface; tell what was left."""
        self._edits.do(
            lambda made: f"{what}: {_made(made[1])}",
            edit,
            done=lambda made: self.wrong.emit(_left(made[1])),
            failed=self._tell,
        )

    def _take(self, offers: Sequence[TruingOffer], label: str) -> None:
        if not offers:
            return
        shown, found = self._session.job.outline, self.found.features
        noise = noise_of(self._session.job, self._tracing.flat)

        def made(job: Job, work: Work) -> _Made:
            if job.outline is not shown:
                raise TruingError("the outline has changed meanwhile; look what is offered now")
            return take_offers(job, offers, found, noise, work)

        self._make(label, made)

    def _take_all(self) -> None:
        """Take all that is as sure as was chosen, and what follows from it."""
        sizes, least = self._table_of_sizes, self._least / 100
        noise = noise_of(self._session.job, self._tracing.flat)
        self._make("Trued up", lambda job, work: take_all(job, least, noise, sizes, work))


def _made(done: Trued) -> str:
    """Return what was made in words."""
    straight = done.taken.get("straight", 0)
    count = sum(n for kind, n in done.taken.items() if kind not in ("fixed", "straight"))
    told_ = [counted(straight, "edge straight", "edges straight")] if straight else []
    told_ += [counted(count, "relation")] if count or not straight else []
    return ", ".join(told_)


def _left(done: Trued) -> str:
    if not done.left:
        return ""
    offer, why = done.left[0]
    return f"{counted(len(done.left), 'offer')} left: {offer.text}, but {why}."
