"""The worksheets of the stops, each made when it is first needed."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QStackedWidget

from silhueta.app.stops.picture import PictureSheet
from silhueta.app.widgets import leave_space
from silhueta.app.work import Bench

if TYPE_CHECKING:
    from silhueta.app.stops.cut_file import CutFileSheet
    from silhueta.app.stops.scale import ScaleSheet
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
            sheet = self._make(key)
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

    @property
    def scale(self) -> ScaleSheet:
        """The worksheet of Scale."""
        from silhueta.app.stops.scale import ScaleSheet

        sheet = self["scale"]
        assert isinstance(sheet, ScaleSheet)
        return sheet

    @property
    def cut_file(self) -> CutFileSheet:
        """The worksheet of Cut file."""
        from silhueta.app.stops.cut_file import CutFileSheet

        sheet = self["cut_file"]
        assert isinstance(sheet, CutFileSheet)
        return sheet

    def _make(self, key: str) -> Worksheet:
        window = self._window
        session, tracing, table = window.session, window.tracing, window.table
        if key == "picture":
            picture = PictureSheet(session, tracing, table, self)
            picture.open.clicked.connect(window.filing.open)
            picture.reopen.connect(window.filing.reopen)
            return picture
        if key == "scale":
            from silhueta.app.stops.scale import ScaleSheet

            scale = ScaleSheet(session, tracing, table, self)
            scale.save_gauge.connect(window.filing.save_gauge)
            window.progress.follow(scale.bench)
            return scale
        if key == "trace":
            from silhueta.app.stops.trace import TraceSheet

            return TraceSheet(session, tracing, table, self)
        if key == "tidy":
            from silhueta.app.stops.tidy import TidySheet

            tidy = TidySheet(session, tracing, table, self)
            window.progress.follow(tidy.offers.bench)
            return tidy
        from silhueta.app.stops.cut_file import CutFileSheet

        cut = CutFileSheet(session, tracing, self)
        cut.save.connect(window.filing.export)
        return cut
