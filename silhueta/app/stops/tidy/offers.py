"""Part of the Tidy worksheet: what could be cleaned up, counted, shown, and taken."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from silhueta.app.session import Session
from silhueta.app.table.marked_layer import OfferLayer
from silhueta.app.table.table import Table
from silhueta.app.widgets import Choice, Field, Note, boxed, clear, heading, row
from silhueta.app.work import Bench
from silhueta.core.errors import SilhuetaError
from silhueta.core.job import Job, is_stale, set_tidy, with_outline
from silhueta.core.tidy.choose import set_operation
from silhueta.core.tidy.offers.kinds import find_offers, take, take_all
from silhueta.core.tidy.offers.offer import Kind, Limits, Offer, limits_of
from silhueta.core.units import format_area, format_length, parse_area, parse_length

if TYPE_CHECKING:
    from silhueta.core.geometry.outline import Operation, Outline
    from silhueta.core.tidy.offers.offer import Frame
    from silhueta.core.work import Work

# one thing, several things, what is done to them
WORDS: dict[Kind, tuple[str, str, str]] = {
    "frame": ("frame", "frames", "Left out"),
    "specks": ("speck", "specks", "Left out"),
    "coincident": ("node on top of another", "nodes on top of each other", "Merged"),
    "doubles": ("double line", "double lines", "Made single"),
    "gaps": ("gap", "gaps", "Closed"),
    "spikes": ("hairpin", "hairpins", "Clipped"),
    "crossings": ("self-crossing", "self-crossings", "Resolved"),
    "short": ("short segment", "short segments", "Removed"),
    "thin": ("needless node", "needless nodes", "Removed"),
    "necks": ("near miss", "near misses", "Joined"),
}
# what a person is asked where it is not sure
QUESTIONS: dict[Kind, str] = {
    "frame": "A rectangle round everything: a frame, or the part itself?",
    "specks": "Small, but not as small as dust: parts of the drawing? Take leaves them out.",
    "doubles": "A side that two outlines share: without it, one stays open. Take it?",
    "gaps": "Other ends are about as near. Are these the ones that belong together?",
    "crossings": "Lines that cross themselves stay so. Mark or engrave them, or take what they go "
    "round?",
    "spikes": "Thin, but not as thin as a slip of the hand: a real tip?",
}


def told(kind: Kind, count: int) -> str:
    """Return "14 specks" and the like."""
    one, many, _ = WORDS[kind]
    return f"{count:,} {one if count == 1 else many}"


class TidyOffers(QWidget):
    """Looks for offers beside the interface whenever the outline changes while it is shown."""

    wrong = Signal(str)

    def __init__(self, session: Session, table: Table, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._table = session, table
        self.limits = limits_of(session.job)
        self.offers: list[Offer] = []
        self._for: tuple[object, Limits] | None = None
        self._asked: tuple[object, Limits] | None = None
        self.shown: Kind | None = None
        self.bench = Bench(self)
        self.bench.done.connect(self._take_found)
        self.bench.failed.connect(self.wrong)

        def length(name: str) -> Field:
            field = Field(name, lambda text: parse_length(text, session.units, zero=True), self)
            field.setFixedWidth(84)
            return field

        self.speck = Field("Specks under", lambda text: parse_area(text, session.units), self)
        self.speck.setFixedWidth(84)
        self.gap, self.double = length("Gaps up to"), length("Doubles within")
        self.tolerance = length("Needless nodes within")
        self.short = length("Segments shorter than")
        self.neck, self.neck_width = length("Join pieces nearer than"), length("Neck")
        self.keep = Choice(
            "Of a double keep", {"outer": "Outer", "middle": "Middle", "inner": "Inner"}, self
        )
        self.extend = Choice(
            "Ends across a gap are", {"extend": "Run on", "straight": "Joined straight"}, self
        )
        self.state = Note(parent=self)
        self.rows = QVBoxLayout()
        self.rows.setSpacing(4)
        self.all = QPushButton("Take all", self)
        self.all.setObjectName("take-all")
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(5)
        inside.addWidget(self.state)
        inside.addLayout(self.rows)
        inside.addWidget(self.all)
        for name, field in (
            ("Specks under", self.speck),
            ("Gaps up to", self.gap),
            ("Doubles within", self.double),
            ("Needless nodes within", self.tolerance),
            ("Segments shorter than", self.short),
            ("Join pieces nearer than", self.neck),
            ("by a neck of", self.neck_width),
        ):
            inside.addWidget(boxed(self, row(heading(name), None, field)))
        inside.addWidget(heading("Ends across a gap are", self))
        inside.addWidget(self.extend)
        inside.addWidget(heading("Of a double keep", self))
        inside.addWidget(self.keep)
        inside.addStretch(1)

    def _connect(self) -> None:
        for name, field in (
            ("speck", self.speck),
            ("gap", self.gap),
            ("double", self.double),
            ("tolerance", self.tolerance),
            ("short", self.short),
            ("neck", self.neck),
            ("neck_width", self.neck_width),
        ):
            field.typed.connect(lambda value, name=name: self._limit(**{name: value}))
            field.wrong.connect(self.wrong)
        self.keep.chosen.connect(lambda key: self._limit(keep_double=key))
        self.extend.chosen.connect(lambda key: self._limit(extend=key == "extend"))
        self.all.clicked.connect(self._take_all)

    def _limit(self, **changes: Any) -> None:
        def limited(job: Job) -> Job:
            made = set_tidy(job, replace(job.tidy, **changes))
            limits_of(made)  # refuses what cannot be
            return made

        try:
            self._session.apply("Limits of what is clean", limited)
        except SilhuetaError as error:
            self.wrong.emit(str(error))

    # found beside the interface

    def refresh(self, job: Job) -> None:
        """Show the limits; look for offers where they are not those of the present outline."""
        self.limits = limits_of(job)
        units = self._session.units
        self.speck.show_value(format_area(self.limits.speck, units))
        for name in ("gap", "double", "tolerance", "short", "neck", "neck_width"):
            value = getattr(self.limits, name)
            shown = format_length(value, units, 3) if value else "none"
            getattr(self, name).show_value(shown)
        self.keep.set_chosen(self.limits.keep_double)
        self.extend.set_chosen("extend" if self.limits.extend else "straight")
        if not self.isVisible() or is_stale(job):
            return
        wanted = (job.outline, self.limits)
        if self._for is not None and _same(self._for, wanted):
            return
        if self._asked is not None and _same(self._asked, wanted) and self.bench.busy:
            return
        self._asked = wanted
        outline, limits, frame = job.outline, self.limits, self._frame()

        def found(work: Work) -> list[Offer]:
            return find_offers(outline, limits, frame, work)

        self.state.say("Looking…")
        self.bench.ask("Looking for offers", found, wanted)

    def _frame(self) -> Frame | None:
        box = self._table.picture_box()
        if self._table.picture is None:
            return self._session.job.page
        return (0.0, 0.0, box.width(), box.height())

    def _take_found(self, found: object, asked: tuple[object, Limits]) -> None:
        if isinstance(found, list):
            if not _same(asked, (self._session.job.outline, self.limits)):
                return
            self.offers, self._for = found, asked
            self._show()
        elif isinstance(found, tuple) and self._session.job.outline is asked[0]:
            outline, label = found
            self._session.apply(label, lambda job: with_outline(job, outline))

    def _show(self) -> None:
        clear(self.rows)
        total = len(self.offers)
        self.state.say(
            "Nothing to clean up within these limits."
            if not total
            else "Click one to see where; Take does it, undo brings it back."
        )
        for offer in self.offers:
            line = QWidget(self)
            show = QPushButton(told(offer.kind, offer.count), line)
            show.setCheckable(True)
            show.setObjectName(f"show-{offer.kind}")
            show.setStyleSheet("text-align: left")
            show.setToolTip("Show where on the table")
            show.setChecked(self.shown == offer.kind)
            show.clicked.connect(
                lambda on, kind=offer.kind: self._show_places(kind if on else None)
            )
            accept = QPushButton("Take", line)
            accept.setObjectName(f"take-{offer.kind}")
            accept.setFixedWidth(64)
            accept.setToolTip(f"{WORDS[offer.kind][2]} in one step")
            accept.clicked.connect(lambda _=False, offer=offer: self._take(offer))
            layout = row(show, accept)
            layout.setContentsMargins(0, 0, 0, 0)
            layout.setStretch(0, 1)
            line.setLayout(layout)
            self.rows.addWidget(line)
            if offer.kind == "thin":
                self.rows.addWidget(self._about_thin(offer))
            unsure = len(offer.items) - len(offer.sure)
            if unsure and offer.kind in QUESTIONS:
                text = QUESTIONS[offer.kind]
                if offer.sure:
                    text = f"{unsure:,} of them only when asked. {text}"
                self.rows.addWidget(QLabel(text, self, wordWrap=True))
                if offer.kind == "crossings":
                    self.rows.addWidget(self._operations(offer))
        sure = sum(len(offer.sure) for offer in self.offers)
        self.all.setEnabled(bool(sure))
        self.all.setToolTip("" if sure else "there is nothing to take")
        self._show_places(self.shown)

    def _operations(self, offer: Offer) -> QWidget:
        """Return buttons that make what is not sure of an offer a line on the part's face."""
        line = QWidget(self)
        buttons = []
        which = {i for item in offer.items if not item.sure for i in item.contours}
        operations: tuple[Operation, ...] = ("mark", "engrave")
        for operation in operations:
            button = QPushButton(f"{operation.capitalize()} {_lines(len(which))}", line)
            button.setObjectName(f"{operation}-{offer.kind}")
            button.clicked.connect(
                lambda _=False, operation=operation: self._session.apply(
                    f"{operation.capitalize()} {_lines(len(which))}",
                    lambda job: set_operation(job, which, operation),
                )
            )
            buttons.append(button)
        layout = row(*buttons)
        layout.setContentsMargins(0, 0, 0, 0)
        line.setLayout(layout)
        return line

    def _about_thin(self, offer: Offer) -> QWidget:
        before = sum(len(offer.outline.contours[i.contours[0]].path.nodes) for i in offer.items)
        off = format_length(max(i.data.deviation for i in offer.items), self._session.units, 3)
        note = Note(parent=self)
        note.say(f"{before:,} become {before - offer.count:,}, at most {off} off.")
        return note

    def _show_places(self, kind: Kind | None) -> None:
        self.shown = kind
        for offer in self.offers:
            button = self.findChild(QPushButton, f"show-{offer.kind}")
            if button is not None:
                button.setChecked(offer.kind == kind)
        items = [item for o in self.offers if o.kind == kind for item in o.items]
        unsure = [k for k, item in enumerate(items) if not item.sure]
        layer = OfferLayer([item.place for item in items], unsure) if items else None
        self._table.set_overlay("offers", layer if self.isVisible() else None)

    # taken

    def _take(self, offer: Offer) -> None:
        if self._session.job.outline is not offer.outline:
            return
        done = WORDS[offer.kind][2]
        items = offer.sure or offer.items
        count = offer.count if offer.kind == "thin" else len(items)
        label = f"{done} {told(offer.kind, count)}"
        self._clean_up(lambda _: (take(offer, items), label))

    def _take_all(self) -> None:
        outline, limits, frame = self._session.job.outline, self.limits, self._frame()

        def made(work: Work) -> tuple[Outline, str]:
            cleaned, counts, _ = take_all(outline, limits, frame, work)
            label = ", ".join(told(kind, count) for kind, count in counts.items())
            return cleaned, f"Tidied: {label}"

        self._clean_up(made)

    def _clean_up(self, made: Callable[[Work], tuple[Outline, str]]) -> None:
        """Work an edit out beside the interface; what it is called comes with it."""
        self._asked = None
        self.bench.ask("Cleaning up", made, (self._session.job.outline, self.limits))


def _lines(count: int) -> str:
    return "this line" if count == 1 else f"these {count:,} lines"


def _same(one: tuple[object, Limits], two: tuple[object, Limits]) -> bool:
    return one[0] is two[0] and one[1] == two[1]
