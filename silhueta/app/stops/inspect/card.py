"""The card of the chosen finding: it stands on the table beside its place, with what mends it."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtWidgets import QLabel, QLineEdit, QPushButton, QVBoxLayout

from silhueta.app.look.theme import AMBER, PENCIL, font
from silhueta.app.table.beside import BesideCard, covered
from silhueta.app.table.surface import Surface
from silhueta.app.widgets import Note, clear, sentence
from silhueta.core.geometry.measure import box_of
from silhueta.core.geometry.outline import Outline
from silhueta.core.inspection.finding import Finding
from silhueta.core.units import Unit, lengths_in

_WIDE = 300
_APART = 26  # px between the place and the card
_SMALL = 260.0  # px of a contour on the screen, up to which the card keeps off all of it
_FLAG_HIGH = 34  # px that a finding's flag stands over its place


class FindingCard(BesideCard):
    """What is wrong, what mends it, and a way to let it pass with a reason."""

    mend = Signal(int)  # which remedy
    pass_on = Signal(str)  # the reason

    def __init__(self, table: Surface) -> None:
        name, stays = "finding-card", "the finding stays in the list"
        super().__init__(table, name, _WIDE, AMBER, stays)
        self._found: Finding | None = None
        self._part = QRectF()  # of the whole outline, mm
        self._about: list[QRectF] = []  # boxes of the contours that it is about, mm
        self.text = QLabel(self)
        self.text.setWordWrap(True)
        self.text.setFont(font(13))
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.buttons = QVBoxLayout()
        self.buttons.setSpacing(4)
        self.let_pass = QPushButton("Let it pass…", self)
        self.let_pass.setObjectName("let-pass")
        self.reason = QLineEdit(self)
        self.reason.setObjectName("reason")
        self.reason.setPlaceholderText("Why it may pass")
        self.reason.setAccessibleName("Why it may pass")
        self.through = QPushButton("Wave through", self)
        self.through.setObjectName("wave-through")
        layout = self.lines
        layout.addWidget(self.text)
        layout.addLayout(self.buttons)
        layout.addWidget(self.let_pass)
        layout.addWidget(self.reason)
        layout.addWidget(self.through)
        self.let_pass.clicked.connect(lambda: self._ask_why(True))
        self.through.clicked.connect(lambda: self.pass_on.emit(self.reason.text()))
        self.reason.returnPressed.connect(lambda: self.pass_on.emit(self.reason.text()))
        for button in (self.let_pass, self.through):
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def show_finding(
        self, found: Finding, number: int, head: str, units: Unit, outline: Outline
    ) -> None:
        """Show a finding with its remedies; `outline` has the contours that it is about."""
        bounds = outline.bounds if outline.taken else found.extent
        self._part = QRectF(bounds[0], bounds[1], bounds[2] - bounds[0], bounds[3] - bounds[1])
        boxes = [box_of(c.path) for c in outline.contours if c.key in found.keys]
        self._about = [QRectF(b[0], b[1], b[2] - b[0], b[3] - b[1]) for b in boxes]
        if found is not self._found:
            self._found = found
            self.reason.clear()
            clear(self.buttons)
            for which, remedy in enumerate(found.remedies):
                if remedy.edit is None and not remedy.stop:
                    self.buttons.addWidget(Note(sentence(remedy.text), self))
                    continue
                button = QPushButton(lengths_in(remedy.text, units), self)
                button.setObjectName(f"remedy-{which}")
                button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
                if not which:
                    button.setStyleSheet(
                        f"background: {PENCIL.name()}; color: white; font-weight: 600"
                    )
                button.clicked.connect(lambda _=False, which=which: self.mend.emit(which))
                self.buttons.addWidget(button)
                button.show()
            self._ask_why(False)
        self.head.setText(f"{number}. {head}")
        self.text.setText(sentence(lengths_in(found.text, units)))
        self.setAccessibleName(f"Finding {number}: {head}. {found.text}")
        self.show()
        self.fit()

    def put_away(self) -> None:
        """Show nothing."""
        self._found = None
        self.hide()

    def _ask_why(self, on: bool) -> None:
        """Show the field for the reason, or only the button that leads to it."""
        self.let_pass.setVisible(not on)
        self.reason.setVisible(on)
        self.through.setVisible(on)
        if on and self.isVisible():
            self.reason.setFocus()
        self.fit()

    def place(self) -> None:
        """Stand beside the finding, where it covers least of what it speaks of."""
        if self._found is None:
            return
        view, room = self.table.view, QRectF(self.table.rect()).adjusted(36, 34, -8, -8)
        at = view.to_screen(QPointF(*self._found.place))
        left, bottom, right, top = self._found.extent
        about = view.transform().mapRect(QRectF(left, bottom, right - left, top - bottom))
        for box in self._about:
            seen = view.transform().mapRect(box)
            if max(seen.width(), seen.height()) < _SMALL:
                about = about.united(seen)
        about = about.united(QRectF(at.x() - 18, at.y() - _FLAG_HIGH, 36, _FLAG_HIGH))
        part = view.transform().mapRect(self._part)
        wide, high = float(self.width()), float(self.height())
        tries = (
            QPointF(about.right() + _APART, at.y() - high / 2),
            QPointF(about.left() - _APART - wide, at.y() - high / 2),
            QPointF(at.x() - wide / 2, about.bottom() + _APART),
            QPointF(at.x() - wide / 2, about.top() - _APART - high),
            QPointF(at.x() - wide / 2, part.bottom() + _APART),
            QPointF(at.x() - wide / 2, part.top() - _APART - high),
            # where it speaks of the whole part, a corner of the table is left
            QPointF(room.right() - wide, room.bottom() - high),
        )
        self.stand(room, tries, lambda box: _badly(box, about, part, at))


def _badly(box: QRectF, about: QRectF, part: QRectF, at: QPointF) -> tuple[float, float, float]:
    """Return how badly a card would stand: over its place, over much of the part, far away."""
    some = max(box.width() * box.height() / 4, 1.0)
    away = box.center() - at
    return covered(box, about), covered(box, part) // some, abs(away.x()) + abs(away.y())
