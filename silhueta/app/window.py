"""The main window: bar, Traveller, table, worksheet, readout, and how they are joined."""

from __future__ import annotations

from pathlib import Path as File
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QObject, Qt, QTimer
from PySide6.QtGui import (
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QResizeEvent,
    QShowEvent,
)
from PySide6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QHBoxLayout,
    QLineEdit,
    QMainWindow,
    QMessageBox,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from silhueta.app.actions import Actions
from silhueta.app.files import Filing
from silhueta.app.finder import Finder
from silhueta.app.inspecting import Inspecting
from silhueta.app.keeping import Keeping
from silhueta.app.many import Many
from silhueta.app.planning import Planning
from silhueta.app.readout import Readout
from silhueta.app.recovery import Recovery
from silhueta.app.session import Session
from silhueta.app.settings import Preferences
from silhueta.app.shelving import Shelving
from silhueta.app.states import about, is_imported
from silhueta.app.stops.route import STOPS, stop_of
from silhueta.app.stops.sheets import Sheets
from silhueta.app.strips import FadeStrip, NoticeStrip, ProgressStrip, StartCard, TopBar, ZoomStrip
from silhueta.app.table.table import Table
from silhueta.app.tracing import Tracing
from silhueta.app.traveller import Traveller
from silhueta.app.widgets import leave_space
from silhueta.app.window_actions import all_actions
from silhueta.core.units import Unit

_SHEET_WIDTH = 284


if TYPE_CHECKING:
    from silhueta.app.fault import Faults
    from silhueta.app.work import Bench
    from silhueta.core.datum.rectify import Rectified
    from silhueta.core.keep.places import Places


class Window(QMainWindow):
    """Everything a person sees, built once, showing the session's job."""

    def __init__(self, remembered: Preferences | None = None, places: Places | None = None) -> None:
        super().__init__()
        self.remembered = remembered or Preferences()
        self.setObjectName("window")
        self.setAcceptDrops(True)
        self.setMinimumSize(960, 620)
        self.resize(*(self.remembered.now.window or (1280, 800)))
        self.session = Session(parent=self)
        self.session.set_units(self.remembered.now.units)
        self.keeping = Keeping(self.session, None if places is None else places.journals, self)
        self.recovery = Recovery(self, None if places is None else places.journals)
        self.tracing = Tracing(self.session, self)
        self.inspecting = Inspecting(self.session, self)
        self.planning = Planning(self.session, self)
        self.table = Table(self.session, self)
        self.present = "picture"
        self.filing = Filing(self, None if places is None else places.locks)
        self.shelving = Shelving(self, places)
        self.many = Many(self)
        self.faults: Faults | None = None  # what catches faults, where somebody started it
        self.sheets = Sheets(self)
        self.actions_ = Actions(self)
        self.actions_.add(*all_actions(self))
        self.bar = TopBar(self.actions_, self)
        self.traveller = Traveller(STOPS, self)
        self.readout = Readout(self.session, self)
        self.progress, self.notice = ProgressStrip(self), NoticeStrip(self)
        self.fade, self.zoom = FadeStrip(self.table), ZoomStrip(self.actions_, self.table)
        self.start_card = StartCard(self.actions_, self.table)
        self._lay_out()
        self._join()
        self.bar.show_units(self.session.units)
        self.start_card.show_recent(self.remembered.now.recent)
        self.go("picture")

    # built once

    def _lay_out(self) -> None:
        self.sheets.setFixedWidth(_SHEET_WIDTH)
        middle = QVBoxLayout()
        middle.setSpacing(0)
        middle.addWidget(self.notice)
        middle.addWidget(self.table, 1)
        self.foot = QVBoxLayout()  # where a worksheet may stand something below the table
        middle.addLayout(self.foot)
        middle.addWidget(self.progress)
        body = QHBoxLayout()
        body.setSpacing(0)
        body.addWidget(self.traveller)
        body.addLayout(middle, 1)
        body.addWidget(self.sheets)
        central = QWidget(self)
        whole = QVBoxLayout(central)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(self.bar)
        whole.addLayout(body, 1)
        whole.addWidget(self.readout)
        self.setCentralWidget(central)
        leave_space(self)

    def _join(self) -> None:
        self.session.job_changed.connect(self.renew)
        self.tracing.changed.connect(self.renew)
        self.inspecting.changed.connect(self.renew)
        self.planning.changed.connect(self.renew)
        self.tracing.flattened.connect(self._take_flat)
        self.traveller.go.connect(self.go)
        self.table.cursor_moved.connect(self.readout.set_cursor)
        self.fade.changed.connect(self.table.set_lines)
        self.table.resized.connect(self._place_strips)
        self.keeping.failed.connect(self._not_kept)
        self.bar.units_chosen.connect(self.session.set_units)
        self.session.units_changed.connect(self.bar.show_units)
        self.session.units_changed.connect(lambda unit: self.remembered.change(units=unit))
        self.start_card.chosen.connect(lambda name: self.filing.open_file(File(name)))
        for bench in (
            self.tracing.bench,
            self.filing.bench,
            self.filing.writing,
            self.filing.saving.writing,
        ):
            self.progress.follow(bench)
        QApplication.instance().installEventFilter(self)  # type: ignore[union-attr]

    # what actions do

    def go(self, key: str) -> None:
        """Go to the stop `key`."""
        if key != self.present:
            self.table.stop_pick()
        self.present = key
        stop = stop_of(key)
        self.table.show_photo(stop.photo, datums=stop.datums)
        self.table.solution = None
        self.sheets.show_stop(key)
        self.renew()

    def find_action(self) -> None:
        """Open the list of actions."""
        finder = Finder(self.actions_, self)
        finder.adjustSize()
        corner = self.mapToGlobal(self.rect().topLeft())
        finder.move(corner.x() + (self.width() - finder.width()) // 2, corner.y() + 48)
        finder.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        finder.show()
        finder.field.setFocus()

    def say(self, text: str) -> None:
        """Tell what is wrong and what to do, without stopping anybody's work."""
        self.notice.say(text)

    def _not_kept(self, why: str) -> None:
        self.say(why or "Every step is kept again.")

    def show_units(self, unit: Unit) -> None:
        """Show lengths in this unit."""
        self.session.set_units(unit)

    def leave(self) -> None:
        """Close the window."""
        self.close()

    def why_no_undo(self) -> str:
        """Return why nothing can be undone, or ""."""
        return "" if self.session.undo_label is not None else "nothing was changed yet"

    def why_no_redo(self) -> str:
        """Return why nothing can be done again, or ""."""
        return "" if self.session.redo_label is not None else "nothing was taken back"

    @property
    def benches(self) -> list[Bench]:
        """All work beside the interface."""
        own = [self.filing.bench, self.filing.writing, self.tracing.bench, self.inspecting.bench]
        own += [self.planning.bench, self.recovery.bench, self.shelving.bench]
        own.append(self.filing.saving.writing)
        return [*own, *self.sheets.benches]

    # what is shown

    def renew(self, _: object = None) -> None:
        """Show the job as it has become: title, Traveller, actions, bar."""
        job = self.session.job
        star = " •" if self.session.dirty else ""
        self.setWindowTitle(f"{job.name}{star} — Silhueta")
        told = f"{about(job, self.tracing.picture)}{self.filing.saving.told}"
        self.traveller.refresh(job, told, self.present)
        self.actions_.refresh()
        self.bar.refresh(self.session.undo_label, self.session.redo_label)
        self.start_card.setVisible(job.picture is None and not is_imported(job))
        self.readout.set_sigma(self.tracing.size_sigma())
        self.readout.show_photo(self.table.mm_per_px if self.table.tilted else None)

    def _take_flat(self, flat: Rectified) -> None:
        self.table.set_flat(flat, self.tracing.cleaned(), self.tracing.shown_colours)
        self.renew()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Keep the strips that float on the table in their corners."""
        super().resizeEvent(event)
        QTimer.singleShot(0, self._place_strips)

    def showEvent(self, event: QShowEvent) -> None:
        """Place the floating strips once sizes are known."""
        self._place_strips()
        QTimer.singleShot(0, self._place_strips)

    def _place_strips(self) -> None:
        self.start_card.adjustSize()
        middle = self.table.rect().center() - self.start_card.rect().center()
        self.start_card.move(middle)
        self.fade.adjustSize()
        self.zoom.adjustSize()
        self.fade.move(self.table.width() - self.fade.width() - 12, 12)
        self.zoom.move(
            self.table.width() - self.zoom.width() - 12,
            self.table.height() - self.zoom.height() - 38,
        )

    # the desktop

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Show the bare picture while Space is held, where Space has no other meaning."""
        if (
            isinstance(event, QKeyEvent)
            and event.key() == Qt.Key.Key_Space
            and event.type() in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease)
            and self.isActiveWindow()
            and not isinstance(QApplication.focusWidget(), QLineEdit | QAbstractButton | QSlider)
        ):
            if not event.isAutoRepeat():
                self.table.set_bare(event.type() == QEvent.Type.KeyPress)
            return True
        return super().eventFilter(watched, event)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Take files."""
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Open the first file dropped."""
        files = [url.toLocalFile() for url in event.mimeData().urls() if url.isLocalFile()]
        if files:
            self.filing.open_file(File(files[0]))

    def closeEvent(self, event: QCloseEvent) -> None:
        """Ask about what is not saved, then end the work beside the interface."""
        if not self.may_leave():
            event.ignore()
            return
        QApplication.instance().removeEventFilter(self)  # type: ignore[union-attr]
        if not self.isMaximized():
            self.remembered.change(window=(self.width(), self.height()))
        self.inspecting.close()
        self.planning.close()
        self.recovery.bench.close()
        self.shelving.bench.close()
        self.many.close()
        self.tracing.bench.close()
        self.filing.bench.close()
        self.filing.writing.close()
        self.filing.saving.close()
        for bench in self.sheets.benches:
            bench.close()
        self.keeping.close()
        event.accept()

    def may_leave(self) -> bool:
        """Return whether the present job may be left, after asking when it is not saved."""
        if not self.session.dirty:
            return True
        box = QMessageBox(self)
        box.setObjectName("unsaved")
        box.setWindowTitle("Silhueta")
        box.setText(f"“{self.session.job.name}” has changes that are not saved.")
        save = box.addButton("Save", QMessageBox.ButtonRole.AcceptRole)
        leave = box.addButton("Leave without saving", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Go on working", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        if box.clickedButton() is save:
            return self.filing.saving.save_now()
        return box.clickedButton() is leave
