"""What all worksheets share: the question, the controls, what came of it, the way on."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFont, QShowEvent
from PySide6.QtWidgets import QFrame, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from silhueta.app.look.theme import AMBER, FAINT, PAPER, font
from silhueta.app.session import Session
from silhueta.app.stops.stop import Stop
from silhueta.core.job import Job


class Worksheet(QWidget):
    """Head, body, foot. A stop fills :attr:`body` and reads the job in :meth:`refresh`.

    Only a worksheet that is seen is refreshed, and again whenever it comes to be seen.
    """

    go = Signal(str)  # the key of another stop
    failed = Signal(str)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self._following: Stop | None = None
        self._head, self._asked = head, asked = QLabel(self), QLabel(self)
        head.setFont(font(22, QFont.Weight.Bold))
        asked.setWordWrap(True)
        asked.setStyleSheet(f"color: {FAINT.name()}")
        inside = QWidget(self)
        self.body = QVBoxLayout(inside)
        self.body.setContentsMargins(2, 4, 8, 4)
        self.body.setSpacing(5)
        self.pane = scroll = QScrollArea(self)
        scroll.setWidgetResizable(True)
        scroll.setWidget(inside)
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.result = QLabel(self)
        self.result.setObjectName("result")
        self.result.setWordWrap(True)
        self.result.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.next = QPushButton(self)
        self.next.setObjectName("next")
        self.next.setProperty("next", True)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 16, 12, 14)
        layout.setSpacing(8)
        layout.addWidget(head)
        layout.addWidget(asked)
        layout.addWidget(scroll, 1)
        layout.addWidget(self.result)
        layout.addWidget(self.next)

    def belong_to(self, stop: Stop, following: Stop | None) -> None:
        """Be the worksheet of a stop; the brass button leads on to the one that follows."""
        self._head.setText(stop.title)
        self._asked.setText(stop.question)
        self._following = following

    def ask(self, question: str) -> None:
        """Ask another question than the stop's own, on a page that answers another."""
        self._asked.setText(question)

    def go_on(self) -> None:
        """Go to the stop that follows."""
        if self._following is not None:
            self.go.emit(self._following.key)

    def way_on(self, why_not: str = "") -> None:
        """Name the brass button after the stop that follows; grey with a reason where barred."""
        if self._following is not None:
            self.set_next(f"On to {self._following.title}", why_not)

    def connect_job(self) -> None:
        """Begin to follow the job; called once the stop has made its controls."""
        self.body.addStretch(1)
        self.session.job_changed.connect(self.renew)

    def renew(self, _: object = None) -> None:
        """Show the job anew, if anyone sees it."""
        if self.isVisible():
            self.refresh(self.session.job)

    def showEvent(self, event: QShowEvent) -> None:
        """Show the job as it has become."""
        super().showEvent(event)
        self.refresh(self.session.job)

    def refresh(self, job: Job) -> None:
        """Show `job`; the only place that reads it."""
        raise NotImplementedError

    def say_result(self, text: str, fault: bool = False) -> None:
        """Show what came of this stop; a fault carries a bar and a triangle."""
        bar = f"border-left: 4px solid {AMBER.name()};" if fault else ""
        self.result.setStyleSheet(
            f"background: {PAPER.name()}; border-radius: 4px; padding: 10px; {bar}"
        )
        self.result.setText(f"▲ {text}" if fault else text)
        self.result.setVisible(bool(text))

    def set_next(self, text: str, why_not: str = "") -> None:
        """Name the brass button; grey with a reason when the way on is barred."""
        self.next.setText(text)
        self.next.setEnabled(not why_not)
        self.next.setToolTip(why_not)
        self.next.setAccessibleDescription(why_not)
