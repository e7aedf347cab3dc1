"""What a person sees when something of ours fails: what is safe, and how to go on."""

from __future__ import annotations

import logging
import sys
import traceback
from pathlib import Path as File
from types import TracebackType
from typing import TYPE_CHECKING

from PySide6.QtCore import QProcess
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import (
    QApplication,
    QCheckBox,
    QDialog,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from silhueta.app.look.theme import font
from silhueta.app.widgets import Note
from silhueta.core.keep.fault_log import last_of, told

if TYPE_CHECKING:
    from silhueta.app.window import Window

log = logging.getLogger(__name__)


class Faults:
    """Catches what nobody caught, puts it in the log, and says so."""

    def __init__(self, window: Window, file: File) -> None:
        self._window, self._file = window, file
        self.dialog: FaultDialog | None = None
        sys.excepthook = self.caught

    def caught(
        self, kind: type[BaseException], value: BaseException, trace: TracebackType | None
    ) -> None:
        """Say that something failed; while that is said, more of it goes into the log alone."""
        log.error("a fault in the window", exc_info=(kind, value, trace))
        if self.dialog is not None and self.dialog.isVisible():
            return
        text = "".join(traceback.format_exception(kind, value, trace))
        kept = self._window.keeping.keeps or not self._window.session.dirty
        self.dialog = FaultDialog(text, self._file, self._window, kept=kept)
        self.dialog.start.clicked.connect(lambda _=False: self._start_anew())
        self.dialog.open()

    def _start_anew(self) -> None:
        """End this program with its journal kept, and start another, which asks about it."""
        window = self._window
        window.keeping.close(keep=True)
        window.filing.saving.close()
        QProcess.startDetached(sys.executable, ["-m", "silhueta.app.main"])
        QApplication.exit(1)


class FaultDialog(QDialog):
    """What happened in plain words, what is safe, and what can be done."""

    def __init__(self, text: str, file: File, parent: QWidget, *, kept: bool) -> None:
        super().__init__(parent)
        self.setObjectName("fault")
        self.setWindowTitle("Silhueta")
        self.setMinimumWidth(560)
        self._text, self._file = text, file
        head = QLabel("Something in Silhueta failed", self)
        head.setFont(font(18))
        safe = (
            "Your job is as it was before this step, and its steps are kept on disk. "
            if kept
            else "Your job is as it was before this step. Save it under another name now. "
        )
        what = Note(
            f"{safe}You can go on; if the same happens again, start anew: the job is offered "
            "there as it is now.",
            self,
        )
        self.names = QCheckBox("With the names of my files and folders", self)
        self.names.setObjectName("fault-names")
        self.said = Note("The log tells what failed. It is sent nowhere.", self)
        go_on = QPushButton("Go on", self)
        go_on.setObjectName("fault-go-on")
        go_on.setDefault(True)
        go_on.clicked.connect(lambda _=False: self.accept())
        self.start = QPushButton("Start anew", self)
        self.start.setObjectName("fault-anew")
        self.start.setEnabled(kept)
        self.start.setToolTip("" if kept else "Save the job first: its steps are not on disk")
        copy = QPushButton("Copy the log", self)
        copy.setObjectName("fault-copy")
        copy.clicked.connect(lambda _=False: self._copy())
        line = QHBoxLayout()
        line.addWidget(go_on)
        line.addWidget(self.start)
        line.addStretch(1)
        line.addWidget(copy)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 20, 24, 16)
        column.setSpacing(12)
        for widget in (head, what, self.said, self.names):
            column.addWidget(widget)
        column.addLayout(line)

    def _copy(self) -> None:
        """Put the log on the clipboard, without names unless they are wanted."""
        whole = last_of(self._file) or self._text
        QGuiApplication.clipboard().setText(told(whole, names=self.names.isChecked()))
        self.said.say("The log is on the clipboard now; paste it into your report.")
