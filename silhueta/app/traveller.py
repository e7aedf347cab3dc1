"""The Traveller: the card that goes with a part through the shop, a result a stop."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QEnterEvent,
    QFont,
    QFontMetrics,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PySide6.QtWidgets import QAbstractButton, QLabel, QVBoxLayout, QWidget

from silhueta.app.look.icons import ICONS, paint_icon
from silhueta.app.look.theme import (
    AMBER,
    AMBER_DEEP,
    BRASS,
    BRASS_DEEP,
    CARD,
    CHALK,
    FAINT,
    INK,
    PAPER,
    PENCIL,
    RULE,
    font,
)
from silhueta.app.stops.stop import Stop, StopState
from silhueta.core.job import Job

WIDTH = 212
_TWO_LINES = 62  # px of a stop, from which its result has two lines
_HIGH, _LEAST = 72, 48  # px of a stop, where there is room and where there is not


class Traveller(QWidget):
    """The card: the job's name, a thread of stops."""

    go = Signal(str)

    def __init__(self, stops: Sequence[Stop], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("Traveller")
        self.setFixedWidth(WIDTH)
        self._stops = stops
        self._name = QLabel(self)
        self._name.setFont(font(17, QFont.Weight.Bold))
        self._name.setWordWrap(True)
        self._about = QLabel(self)
        self._about.setFont(font(13))
        self._about.setWordWrap(True)
        self._about.setStyleSheet(f"color: {FAINT.name()}")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 34, 8, 12)
        layout.setSpacing(0)
        for label in (self._name, self._about):
            label.setContentsMargins(16, 0, 12, 2)
            layout.addWidget(label)
        layout.addSpacing(12)
        self.buttons: dict[str, StopButton] = {}
        for place, stop in enumerate(stops, 1):
            button = StopButton(stop, place, place == len(stops), self)
            button.clicked.connect(lambda _=False, key=stop.key: self.go.emit(key))
            self.buttons[stop.key] = button
            layout.addWidget(button, 10)
        layout.addStretch(1)

    def refresh(self, job: Job, about: str, present: str) -> None:
        """Show `job` with `present` as the stop that is open."""
        self._name.setText(job.name)
        self._about.setText(about)
        for stop in self._stops:
            self.buttons[stop.key].show_state(stop.state(job), stop.key == present)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the card with its string hole."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(RULE, 1))
        painter.setBrush(CARD)
        painter.drawRoundedRect(QRectF(8.5, 8.5, self.width() - 17, self.height() - 17), 6, 6)
        painter.setBrush(PAPER)
        painter.drawEllipse(QPointF(self.width() / 2, 22), 6, 6)
        painter.end()


class StopButton(QAbstractButton):
    """One stop: its mark on the thread, its name, its result."""

    def __init__(self, stop: Stop, place: int, last: bool, parent: QWidget) -> None:
        """Show `stop`, the one of that place (from 1) on the thread."""
        super().__init__(parent)
        self._stop, self._place = stop, place
        self._above, self._below = place > 1, not last
        self._state = StopState("")
        self._present = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumHeight(_LEAST)
        self.setMaximumHeight(_HIGH)
        self.setObjectName(f"stop-{stop.key}")

    def sizeHint(self) -> QSize:
        """Return the room of two lines."""
        return QSize(WIDTH - 18, _HIGH)

    def minimumSizeHint(self) -> QSize:
        """Return the room of two lines without air between the stops."""
        return QSize(WIDTH - 18, _LEAST)

    def show_state(self, state: StopState, present: bool) -> None:
        """Show how the stop stands."""
        self._state, self._present = state, present
        standing = (
            "done" if state.done else f"{state.wanted} to look at" if state.wanted else "to come"
        )
        self.setAccessibleName(f"{self._stop.title}, {standing}. {state.result}")
        self.setToolTip(f"{self._stop.title}  Alt+{self._place}\n{state.result}")
        self.update()

    def enterEvent(self, event: QEnterEvent) -> None:
        """Show that it can be pressed."""
        self.update()

    def leaveEvent(self, event: object) -> None:
        """Show that it no longer is."""
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the thread, the mark and both lines."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle, x = self.height() / 2, 28.0
        if self._present:
            painter.fillRect(QRectF(0, 4, self.width(), self.height() - 8), QColor("#efe6cf"))
            painter.fillRect(QRectF(0, 4, 4, self.height() - 8), BRASS)
        elif self.underMouse():
            painter.fillRect(QRectF(0, 4, self.width(), self.height() - 8), PAPER)
        painter.setPen(QPen(CHALK, 2))
        if self._above:
            painter.drawLine(QPointF(x, 0), QPointF(x, middle - 13))
        if self._below:
            painter.drawLine(QPointF(x, middle + 13), QPointF(x, self.height()))
        self._paint_mark(painter, QPointF(x, middle))
        left = 50.0
        painter.setPen(INK if self._state.done or self._present or self._state.wanted else FAINT)
        painter.setFont(font(16, QFont.Weight.DemiBold))
        painter.drawText(
            QRectF(left, middle - 26, 150, 22), Qt.AlignmentFlag.AlignVCenter, self._stop.title
        )
        painter.setPen(AMBER_DEEP if self._state.wanted else FAINT)
        small = font(13, QFont.Weight.Medium, narrow=True)
        painter.setFont(small)
        width = self.width() - left - 6
        box = QRectF(left, middle - 4, width, 34)
        flags = Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap
        lines = 2 if self.height() >= _TWO_LINES else 1
        told = _in_lines(self._state.result, QFontMetrics(small), int(width), lines)
        painter.drawText(box, int(flags), told)
        if self.hasFocus():
            painter.setPen(QPen(BRASS_DEEP, 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(2, 5, self.width() - 4, self.height() - 10))
        painter.end()

    def _paint_mark(self, painter: QPainter, at: QPointF) -> None:
        icon_box = QRectF(at.x() - 8, at.y() - 8, 16, 16)
        if self._state.wanted:
            painter.setPen(QPen(AMBER, 2))
            painter.setBrush(CARD)
            painter.drawPolygon(
                QPolygonF([at + QPointF(0, -12), at + QPointF(13, 10), at + QPointF(-13, 10)])
            )
            painter.setPen(AMBER_DEEP)
            painter.setFont(font(13, QFont.Weight.Bold))
            box = QRectF(at.x() - 10, at.y() - 7, 20, 18)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(self._state.wanted))
            return
        painter.setPen(QPen(PENCIL if self._state.done else CHALK, 2))
        painter.setBrush(PENCIL if self._state.done else CARD)
        painter.drawEllipse(at, 12, 12)
        if self._state.done:
            paint_icon(painter, ICONS["tick"], icon_box, QColor("white"))
        else:
            paint_icon(painter, self._stop.icon, icon_box, PENCIL if self._present else FAINT)


def _in_lines(text: str, metrics: QFontMetrics, width: int, lines: int) -> str:
    """Return `text` if it fits into so many lines, else cut short with an ellipsis."""
    spare = 24 if lines > 1 else 0  # where a line ends with a word
    return metrics.elidedText(text, Qt.TextElideMode.ElideRight, lines * width - spare)
