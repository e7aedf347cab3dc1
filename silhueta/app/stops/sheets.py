"""The worksheets of the stops, each made when it is first needed."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QStackedWidget

from silhueta.app.stops.route import following, stop_of
from silhueta.app.widgets import leave_space
from silhueta.app.work import Bench

if TYPE_CHECKING:
    from silhueta.app.stops.worksheet import Worksheet
    from silhueta.app.window import Window


class Sheets(QStackedWidget):
    """Shows the worksheet of the present stop."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self._window = window
        self._made: dict[str, Worksheet] = {}

    def __getitem__(self, key: str) -> Worksheet:
        """Return the worksheet of the stop `key`."""
        if key not in self._made:
            stop = stop_of(key)
            sheet = stop.make(self._window)
            sheet.belong_to(stop, following(stop))
            sheet.go.connect(self._window.go)
            sheet.failed.connect(self._window.say)
            leave_space(sheet)
            self._made[key] = sheet
            self.addWidget(sheet)
        return self._made[key]

    @property
    def benches(self) -> list[Bench]:
        """The work beside the interface that worksheets have of their own."""
        found: list[Bench] = []
        for sheet in self._made.values():
            found += getattr(sheet, "benches", ())
            one = getattr(sheet, "bench", None)
            found += [one] if isinstance(one, Bench) else []
        return found

    def show_stop(self, key: str) -> None:
        """Show the worksheet of the stop `key`."""
        self.setCurrentWidget(self[key])
