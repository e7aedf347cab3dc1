"""The hand at Build where ties stand: a tie is dragged along, all else is the piece tool's."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QKeyEvent, QPainter, QPen, QPolygonF

from silhueta.app.look.theme import BRASS, CARD
from silhueta.app.table.hint import paint_hint
from silhueta.app.table.piece_tool import STILL, PieceTool

if TYPE_CHECKING:
    from silhueta.app.table.surface import Surface
    from silhueta.app.table.table import Table
    from silhueta.core.build.bridges import Tie
    from silhueta.core.build.tying import Tied

_GRIP = 8.0  # screen px, of the round that a tie is taken by
_MOST = 400  # grips painted


class TieTool:
    """Tells which tie is dragged, and to where."""

    def __init__(
        self,
        pieces: PieceTool,
        tied: Callable[[], Tied | None],
        moved: Callable[[int, tuple[float, float]], None],
    ) -> None:
        self._pieces, self._tied, self._moved = pieces, tied, moved
        self._held: int | None = None
        self._start = self._now = QPointF()

    def _ties(self) -> tuple[Tie, ...]:
        tied = self._tied()
        return () if tied is None else tied.ties[:_MOST]

    def press(self, at: QPointF, keys: Qt.KeyboardModifier, table: Table) -> bool:
        """Take the tie whose grip is under the cursor, else a piece."""
        grips = [_grip(tie, table) for tie in self._ties()]
        near = [QLineF(at, grip).length() for grip in grips]
        if near and min(near) <= _GRIP + 2:
            self._held = near.index(min(near))
            self._start = self._now = at
            return True
        return self._pieces.press(at, keys, table)

    def move(self, at: QPointF, table: Table) -> None:
        """Follow the cursor with the tie."""
        if self._held is None:
            self._pieces.move(at, table)
            return
        self._now = at
        table.update()

    def release(self, at: QPointF, table: Table) -> None:
        """Let the tie go where it is."""
        held, self._held = self._held, None
        if held is None:
            self._pieces.release(at, table)
        elif (at - self._start).manhattanLength() > STILL:
            mm = table.view.to_mm(at)
            self._moved(held, (mm.x(), mm.y()))
        table.update()

    def double(self, at: QPointF, table: Table) -> None:
        """Take a double click as a click more."""
        self._pieces.double(at, table)

    def key(self, event: QKeyEvent, table: Table) -> bool:
        """Leave the tie where it was by Esc."""
        if self._held is not None and event.key() == Qt.Key.Key_Escape:
            self._held = None
            table.update()
            return True
        return self._pieces.key(event, table)

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint a grip on every tie, and the one in the hand where it is."""
        ties = self._ties()
        if not ties:
            self._pieces.paint(painter, table)
            return
        self._pieces.paint_chosen(painter, table)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for number, tie in enumerate(ties):
            at = self._now if number == self._held else _grip(tie, table)
            if number == self._held:
                _paint_strip(painter, tie, at, table)
            _paint_grip(painter, tie, at)
        text = "Drag a tie by its grip along its island.  Click a piece to choose it; drag it."
        paint_hint(painter, QRectF(table.rect()), text)


def _grip(tie: Tie, table: Surface) -> QPointF:
    """Return where a tie is taken, screen px: in its middle."""
    x, y = ((a + b) / 2 for a, b in zip(tie.start, tie.end, strict=True))
    return table.view.transform().map(QPointF(x, y))


def _way(tie: Tie) -> QPointF:
    """Return the direction of a tie on the screen."""
    long = max(tie.length, 1e-9)
    return QPointF((tie.end[0] - tie.start[0]) / long, -(tie.end[1] - tie.start[1]) / long)


def _paint_strip(painter: QPainter, tie: Tie, at: QPointF, table: Surface) -> None:
    """Paint a tie as a strip about a place."""
    size = table.view.px_per_mm
    way = _way(tie)
    ahead = way * (tie.length * size / 2)
    aside = QPointF(-way.y(), way.x()) * (tie.width * size / 2)
    painter.setPen(QPen(BRASS, 2))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    corners = [-ahead - aside, ahead - aside, ahead + aside, -ahead + aside]
    painter.drawPolygon(QPolygonF([at + corner for corner in corners]))


def _paint_grip(painter: QPainter, tie: Tie, at: QPointF) -> None:
    """Paint a round with two heads that point the ways a tie goes."""
    painter.setPen(QPen(BRASS, 2))
    painter.setBrush(CARD)
    painter.drawEllipse(at, _GRIP, _GRIP)
    painter.setBrush(BRASS)
    painter.setPen(Qt.PenStyle.NoPen)
    way = _way(tie)
    turn = math.atan2(way.x(), -way.y())
    for side in (0.0, math.pi):
        c, s = math.cos(turn + side), math.sin(turn + side)
        head = [(2.0, -4.0), (2.0, 4.0), (6.5, 0.0)]
        painter.drawPolygon(
            QPolygonF([at + QPointF(c * x - s * y, s * x + c * y) for x, y in head])
        )
    painter.setBrush(Qt.BrushStyle.NoBrush)
