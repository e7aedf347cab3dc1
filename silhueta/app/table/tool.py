"""What tools of the hand, and what is painted over the outline, are to the table."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QKeyEvent, QPainter

if TYPE_CHECKING:
    from silhueta.app.table.surface import Surface
    from silhueta.app.table.table import Table


class Tool(Protocol):
    """Takes the left button, the cursor and keys on the table; places are screen px."""

    def press(self, at: QPointF, keys: Qt.KeyboardModifier, table: Table) -> bool:
        """Take the button; False leaves it to the table, which moves itself."""

    def move(self, at: QPointF, table: Table) -> None:
        """Follow the cursor."""

    def release(self, at: QPointF, table: Table) -> None:
        """Let the button go."""

    def double(self, at: QPointF, table: Table) -> None:
        """Take a double click."""

    def key(self, event: QKeyEvent, table: Table) -> bool:
        """Take a key; False leaves it to the table."""

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint over everything."""


class Cover(Protocol):
    """Something that lies on the table in place of picture and outline."""

    zero: tuple[float, float]  # mm: where its own coordinates begin, from which rulers count

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint all of the table as it is seen now."""


class Overlay(Protocol):
    """Something that paints itself over the outline."""

    def paint(self, painter: QPainter, table: Surface) -> None:
        """Paint on the table as it is seen now."""
