"""Cards that stand on the table, beside what they speak of."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFont, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout

from silhueta.app.look.theme import CARD, font
from silhueta.app.table.surface import Surface


class BesideCard(QFrame):
    """A card with a head and a way to close it; it stays beside its place as the table moves."""

    closed = Signal()

    def __init__(self, table: Surface, name: str, wide: int, edge: QColor, stays: str) -> None:
        """Make a card so many px wide; `stays` is what closing it leaves as it is."""
        super().__init__(table)
        self.table, self._wide, self._edge = table, wide, edge
        self.setObjectName(name)
        self.setFixedWidth(wide)
        self.head = QLabel(self)
        self.head.setFont(font(15, QFont.Weight.Bold))
        self.head.setWordWrap(True)
        self.away = QPushButton("×", self)
        self.away.setAccessibleName("Close the card")
        self.away.setToolTip(f"Close the card; {stays}")
        self.away.setFixedSize(28, 28)
        self.away.setStyleSheet("padding: 0; border: none; font-size: 18px")
        self.away.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.away.clicked.connect(self.closed)
        top = QHBoxLayout()
        top.addWidget(self.head, 1)
        top.addWidget(self.away, 0, Qt.AlignmentFlag.AlignTop)
        self.lines = QVBoxLayout(self)
        self.lines.setContentsMargins(14, 10, 10, 12)
        self.lines.setSpacing(6)
        self.lines.addLayout(top)
        table.zoomed.connect(lambda _: self.place())
        self.hide()

    def place(self) -> None:
        """Stand beside the place."""
        raise NotImplementedError

    def fit(self) -> None:
        """Be as high as what is shown, and stand where there is room for that."""
        self.lines.invalidate()
        self.lines.activate()
        self.resize(self._wide, self.lines.totalHeightForWidth(self._wide))
        self.place()

    def stand(
        self, room: QRectF, corners: Sequence[QPointF], badly: Callable[[QRectF], tuple[float, ...]]
    ) -> None:
        """Stand at the best of some upper left corners, moved into the room, screen px."""
        boxes = [into(QRectF(corner, self.size()), room) for corner in corners]
        self.move(min(boxes, key=badly).topLeft().toPoint())

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the card."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(self._edge, 1.6))
        painter.setBrush(CARD)
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 6, 6)
        painter.end()


def into(box: QRectF, room: QRectF) -> QRectF:
    """Return a box moved into a room."""
    x = min(max(box.left(), room.left()), room.right() - box.width())
    y = min(max(box.top(), room.top()), room.bottom() - box.height())
    return QRectF(x, y, box.width(), box.height())


def covered(box: QRectF, about: QRectF) -> float:
    """Return how much of a box another one covers, px²."""
    both = box.intersected(about)
    return max(both.width(), 0.0) * max(both.height(), 0.0)
