"""Part of the Trace worksheet: the deviation of each loop, the largest first."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QListWidget, QVBoxLayout, QWidget

from silhueta.app.widgets import Note
from silhueta.core.units import Unit, format_length

if TYPE_CHECKING:
    from silhueta.core.fitting.deviation import Deviation

_MOST = 200  # loops listed


class LoopDeviations(QWidget):
    """A list to be clicked; hidden while there is nothing to tell."""

    picked = Signal(float, float)  # where that loop leaves its edge most, mm

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.list = QListWidget(self)
        self.list.setAccessibleName("Deviation of each loop")
        self.list.setToolTip("Click one to go to where it leaves the edge most")
        self.list.setFixedHeight(116)
        self.note = Note(parent=self)
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(4)
        inside.addWidget(self.list)
        inside.addWidget(self.note)
        self._shown: tuple[Deviation, Unit] | None = None
        self._places: list[tuple[float, float]] = []
        self.list.itemClicked.connect(self._pick)
        self.list.itemActivated.connect(self._pick)
        self.hide()

    def _pick(self) -> None:
        self.picked.emit(*self._places[self.list.currentRow()])

    def show_deviation(self, deviation: Deviation | None, units: Unit) -> None:
        """List the loops of `deviation`, or hide."""
        self.setVisible(deviation is not None)
        if deviation is None:
            return
        if self._shown is not None and self._shown[0] is deviation and self._shown[1] == units:
            return
        self._shown = (deviation, units)
        loops = deviation.by_loop()
        self._places = [loop.place for loop in loops[:_MOST]]
        self.list.clear()
        for loop in loops[:_MOST]:
            wide, high = (format_length(side, units, 1) for side in loop.size)
            fine = 3 if units == "mm" else 4
            mean, worst = (format_length(v, units, fine) for v in (loop.mean, loop.worst))
            self.list.addItem(
                f"{loop.kind.capitalize()} {wide} × {high}\n{mean} mean, {worst} largest"
            )
        rest = len(loops) - _MOST
        self.note.say(f"and {rest} more that leave it less." if rest > 0 else "")
