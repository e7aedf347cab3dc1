"""Part of the worksheet Scale: read any length, and hold it against the true one."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from silhueta.app.session import Session
from silhueta.app.widgets import Field, Note, heading, row
from silhueta.core.datum.solve import Solution
from silhueta.core.units import format_length

Points = list[tuple[float, float]]


class CheckLength(QWidget):
    """Two picked edges, the length between them with its uncertainty, and the true length."""

    pick = Signal()
    changed = Signal()

    def __init__(self, session: Session, parent: QWidget, read: Callable[[str], float]) -> None:
        super().__init__(parent)
        self._session = session
        self._points: Points = []
        self._true_mm: float | None = None
        self.button = QPushButton("Pick two edges", self)
        self.button.setObjectName("check-length")
        self.button.clicked.connect(lambda: self.pick.emit())
        self.true = Field("True length", read, self)
        self.true.typed.connect(self._set_true)
        self.read = Note("Read any length you know, to see that it is right.", self)
        self.read.setObjectName("check-read")
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(5)
        inside.addWidget(heading("Check a length", self))
        inside.addLayout(row(self.button, None, self.true))
        inside.addWidget(self.read)

    def take(self, points: Points) -> None:
        """Take the two points that were picked, px."""
        self._points, self._true_mm = points, None
        self.true.show_value("")
        self.changed.emit()

    def _set_true(self, mm: float) -> None:
        self._true_mm = mm
        self.changed.emit()

    def show_solution(self, solution: Solution | None) -> None:
        """Say what `solution` makes of the two points."""
        if len(self._points) != 2 or solution is None:
            return
        long, sigma = solution.length(self._points[0], self._points[1])
        unit = self._session.units
        text = f"Reads {format_length(long, unit)} ± {format_length(2 * sigma, unit)} (95 % sure)"
        wrong = False
        if self._true_mm is not None:
            error = long - self._true_mm
            sign = "+" if error >= 0 else "−"
            text += f": {sign}{format_length(abs(error), unit)} off the true length"
            wrong = abs(error) > 3 * sigma
        self.read.say(f"{text}.", wrong)
