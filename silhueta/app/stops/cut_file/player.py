"""The player below the table: the strip of time, and what lets time run."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QElapsedTimer, QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QColor,
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
)
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from silhueta.app.look.icons import icon
from silhueta.app.look.theme import AMBER, BRASS, CHALK, LAYOUT_BLUE, SCRIBED, font
from silhueta.app.planning import clock

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from silhueta.core.rehearsal.course import Course

SPEEDS = (1, 2, 4, 8, 15, 30, 60, 120, 250, 500, 1000)
_WHOLE = 30.0  # s that a whole file takes to watch, at the speed that is proposed
_TICK = 33  # ms between pictures
_PAD = 10.0  # px beside the strip, so that what is at its ends can be seen
_GROUND = QColor("#0f293d")  # layout blue, darker
_STOP = QColor("#e8a04c")  # amber, lighter: 6:1 on the ground


class Player(QWidget):
    """Time as it runs: where it is, how fast it goes, and what is to come."""

    moved = Signal(float)  # to which second
    event_chosen = Signal(int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("player")
        self.hide()
        self.setAutoFillBackground(False)
        self.now = 0.0
        self._course: Course | None = None
        self._event: int | None = None  # the one that was gone to last
        self._since = QElapsedTimer()
        self._timer = QTimer(self)
        self._timer.setInterval(_TICK)
        self._timer.timeout.connect(self._tick)
        self._speed = SPEEDS[0]
        self.time, self.pace = QLabel(self), QLabel(self)
        for label, bold in ((self.time, True), (self.pace, False)):
            colour = SCRIBED if bold else CHALK
            label.setStyleSheet(f"color: {colour.name()}; background: transparent")
        self.strip = TimeStrip(self)
        self.strip.scrubbed.connect(self.go)
        self.strip.stepped.connect(self.step)
        self.strip.toggled.connect(self.toggle)
        self.start = self._button("to-start", "start", "To the beginning")
        self.play = self._button("play", "play", "Play")
        self.end = self._button("to-end", "end", "To the end")
        self.next_event = self._button("next-event", "", "Next event")
        self.slower = self._button("slower", "", "Slower")
        self.faster = self._button("faster", "", "Faster")
        self.start.clicked.connect(lambda: self.go(0.0))
        self.end.clicked.connect(lambda: self.go(self.seconds))
        self.play.clicked.connect(self.toggle)
        self.next_event.clicked.connect(self.to_next_event)
        self.slower.clicked.connect(lambda: self._change_speed(-1))
        self.faster.clicked.connect(lambda: self._change_speed(1))
        top = QHBoxLayout()
        top.addWidget(self.time, 1)
        top.addWidget(self.pace)
        buttons = QHBoxLayout()
        buttons.setSpacing(6)
        for button in (self.start, self.play, self.end, self.next_event):
            buttons.addWidget(button)
        buttons.addStretch(1)
        buttons.addWidget(self.slower)
        buttons.addWidget(self.faster)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(16, 8, 16, 10)
        whole.setSpacing(4)
        whole.addLayout(top)
        whole.addWidget(self.strip)
        whole.addLayout(buttons)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def _button(self, name: str, drawn: str, text: str) -> QPushButton:
        made = QPushButton(self)
        made.setObjectName(name)
        made.setAccessibleName(text)
        made.setToolTip(text)
        if drawn:
            made.setIcon(icon(drawn))
            made.setIconSize(QSize(18, 18))
            made.setFixedWidth(40)
        else:
            made.setText(text)
        return made

    @property
    def seconds(self) -> float:
        """How long the file takes."""
        return 0.0 if self._course is None else self._course.seconds

    @property
    def playing(self) -> bool:
        """Whether time runs."""
        return self._timer.isActive()

    def show_course(self, course: Course | None) -> None:
        """Take another file, from its beginning."""
        self.pause()
        self._course, self._event = course, None
        self.strip.show_course(course)
        fits = [speed for speed in SPEEDS if self.seconds / speed <= _WHOLE]
        self._speed = fits[0] if fits else SPEEDS[-1]
        for button in (self.start, self.play, self.end, self.slower, self.faster):
            button.setEnabled(course is not None)
        some = course is not None and bool(course.done.events)
        self.next_event.setEnabled(some)
        self.next_event.setToolTip("Next event" if some else "no event happens")
        self.go(0.0)

    def go(self, t: float) -> None:
        """Go to a second."""
        self.now = min(max(t, 0.0), self.seconds)
        self.strip.show_now(self.now)
        left = clock(self.seconds - self.now)
        self.time.setText(f"{clock(self.now)} of {clock(self.seconds)}, {left} left")
        self.time.setFont(font(15, self.time.font().Weight.DemiBold))
        self.pace.setText("real time" if self._speed == 1 else f"{self._speed:,} times real time")
        self.moved.emit(self.now)

    def step(self, by: int) -> None:
        """Go to where the next step of the file ends, or the one before begins."""
        if self._course is None:
            return
        when = self._course.scene.when
        if by > 0:
            later = when[when > self.now + 1e-6]
            self.go(float(later[0]) if len(later) else self.seconds)
        else:
            before = when[when < self.now - 1e-6]
            self.go(float(before[-1]) if len(before) else 0.0)

    def toggle(self) -> None:
        """Play, or pause; at the end play from the beginning."""
        if self.playing or self._course is None:
            self.pause()
            return
        if self.now >= self.seconds - 1e-6:
            self.go(0.0)
        self._since.start()
        self._timer.start()
        self._show_play()

    def pause(self) -> None:
        """Let time stand."""
        self._timer.stop()
        self._show_play()

    def _show_play(self) -> None:
        what = "Pause" if self.playing else "Play"
        self.play.setIcon(icon(what.lower()))
        self.play.setAccessibleName(what)
        self.play.setToolTip(what)

    def _tick(self) -> None:
        passed = self._since.restart() / 1000.0 * self._speed
        self.go(self.now + passed)
        if self.now >= self.seconds:
            self.pause()

    def _change_speed(self, by: int) -> None:
        place = SPEEDS.index(self._speed) + by
        self._speed = SPEEDS[min(max(place, 0), len(SPEEDS) - 1)]
        self.go(self.now)

    def to_next_event(self) -> None:
        """Go to the next event; after the last one to the first."""
        if self._course is None or not self._course.done.events:
            return
        self.pause()
        times = [one.at_s for one in self._course.done.events]
        here = self._event is not None and abs(times[self._event] - self.now) < 1e-6
        after = self._event if here and self._event is not None else -1
        later = [
            k for k, t in enumerate(times)
            if t > self.now + 1e-6 or (here and k > after and t > self.now - 1e-6)
        ]  # fmt: skip
        self.event_chosen.emit(later[0] if later else 0)

    def to_event(self, number: int) -> None:
        """Go to an event."""
        assert self._course is not None
        self.pause()
        self._event = number
        self.go(self._course.done.events[number].at_s)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the ground."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), _GROUND)
        painter.setPen(QPen(LAYOUT_BLUE.lighter(150), 1))
        painter.drawLine(0, 0, self.width(), 0)
        painter.end()


class TimeStrip(QWidget):
    """The whole time from left to right: cuts as bars, pierces as ticks, events as triangles."""

    scrubbed = Signal(float)  # to which second
    stepped = Signal(int)  # to the next step (1) or the one before (-1)
    toggled = Signal()

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("time-strip")
        self.setAccessibleName("Time")
        self.setToolTip("Drag: go to a time. Arrows: line by line. Home, End, Enter: play, pause")
        self.setFixedHeight(34)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self._now = 0.0
        self._seconds = 0.0
        self._spans: NDArray[np.float64] = np.zeros((0, 2))
        self._pierces: NDArray[np.float64] = np.zeros(0)
        self._events: Sequence[tuple[float, bool]] = ()

    def show_course(self, course: Course | None) -> None:
        """Take another file."""
        self._seconds = 0.0 if course is None else course.seconds
        self._spans, self._pierces, self._events = np.zeros((0, 2)), np.zeros(0), ()
        if course is not None:
            from silhueta.core.rehearsal.course import cutting_spans

            self._spans, self._pierces = cutting_spans(course)
            self._events = [(one.at_s, one.severity == "stop") for one in course.done.events]
        self.update()

    def show_now(self, now: float) -> None:
        """Show where time is."""
        self._now = now
        self.setAccessibleDescription(f"{clock(now)} of {clock(self._seconds)}")
        self.update()

    def at(self, t: float) -> float:
        """Return where a second is, px."""
        return _PAD + t / max(self._seconds, 1e-9) * (self.width() - 2 * _PAD)

    def _scrub(self, x: float) -> None:
        wide = max(self.width() - 2 * _PAD, 1.0)
        self.scrubbed.emit((x - _PAD) / wide * self._seconds)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Go to where the button is pressed."""
        self._scrub(event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Follow the hand while the button is held."""
        if event.buttons() & Qt.MouseButton.LeftButton:
            self._scrub(event.position().x())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Go line by line, to both ends, play and pause."""
        key = event.key()
        if key in (Qt.Key.Key_Right, Qt.Key.Key_Left):
            self.stepped.emit(1 if key == Qt.Key.Key_Right else -1)
        elif key == Qt.Key.Key_Home:
            self.scrubbed.emit(0.0)
        elif key == Qt.Key.Key_End:
            self.scrubbed.emit(self._seconds)
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.toggled.emit()
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        """Show the focus."""
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        """Show that it is gone."""
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint bars, ticks, triangles, and where time is."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        top, high = 16.0, 12.0
        now = self.at(self._now)
        painter.fillRect(QRectF(_PAD, top, self.width() - 2 * _PAD, high), LAYOUT_BLUE)
        for begin, end in self._spans.tolist():
            one, two = self.at(begin), self.at(end)
            done = min(max(now, one), two)
            painter.fillRect(QRectF(one, top, done - one, high), SCRIBED)
            painter.fillRect(QRectF(done, top, max(two - done, 0.5), high), CHALK)
        painter.setPen(QPen(SCRIBED, 1.2))
        for t in self._pierces.tolist():
            painter.drawLine(QPointF(self.at(t), top - 4), QPointF(self.at(t), top + high))
        for t, stops in self._events:
            x = self.at(t)
            painter.setPen(QPen(_GROUND, 1))
            painter.setBrush(_STOP if stops else AMBER)
            painter.drawPolygon(
                QPolygonF([QPointF(x, top - 2), QPointF(x - 6, 3), QPointF(x + 6, 3)])
            )
            if stops:  # a bar as well, so that colour is not all that tells them apart
                painter.fillRect(QRectF(x - 6, 0.5, 12, 2), _STOP)
        painter.setPen(QPen(BRASS, 3))
        painter.drawLine(QPointF(now, 2), QPointF(now, self.height() - 2))
        if self.hasFocus():
            painter.setPen(QPen(BRASS, 1.5))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))
        painter.end()
