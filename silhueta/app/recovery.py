"""Jobs that a stopped window left: asked about once, at the next start."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path as File
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QDateTime, QLocale, QObject, Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from silhueta.app.look.theme import FAINT, font
from silhueta.app.opened import Opened, open_job
from silhueta.app.work import Bench

if TYPE_CHECKING:
    from silhueta.app.window import Window
    from silhueta.core.keep.history import History
    from silhueta.core.keep.recover import Left, Taken

_PICTURE = 84  # px of a job's picture in the list
_SHOWN = 3  # jobs that are seen without scrolling


class _Found(NamedTuple):
    left: list[Left]
    every: bool  # those that were put off too


class _Returned(NamedTuple):
    opened: Opened
    history: History
    journal: File


class Recovery(QObject):
    """Looks for what was left, asks, and brings it back."""

    def __init__(self, window: Window, folder: File | None) -> None:
        super().__init__(window)
        self._window, self._folder = window, folder
        self._taken: Taken | None = None
        self.dialog: LeftDialog | None = None
        self.bench = Bench(self)
        self.bench.done.connect(self._on_done)
        self.bench.failed.connect(lambda text: window.say(text))

    def look(self) -> None:
        """Look whether anything was left that nobody was asked about."""
        if self._folder is not None and any(self._folder.glob("*.journal")):
            self._look(every=False)

    def show_all(self) -> None:
        """Show all that was left, also what was put off."""
        if self._folder is None or not self._folder.is_dir():
            self._window.say("Nothing was left: every job was saved, or given up")
            return
        self._look(every=True)

    def _look(self, *, every: bool) -> None:
        folder = self._folder
        assert folder is not None

        def found(_: object) -> _Found:
            from silhueta.core.keep.recover import left_behind

            return _Found(left_behind(folder), every)

        self.bench.ask("Looking for jobs that were left", found)

    def _on_done(self, result: object, _: object) -> None:
        if isinstance(result, _Found):
            self._ask(result)
        elif isinstance(result, _Returned):
            self._bring_back(result)

    def _ask(self, found: _Found) -> None:
        from silhueta.core.keep.recover import Taken

        self._taken = Taken()
        left = [one for one in found.left if found.every or not one.asked]
        left = [one for one in left if one.back is None or self._taken.take(one.file)]
        if not any(one.back for one in left) and not found.every:
            for one in left:
                self._window.say(one.wrong)
            self._taken.release()
            return
        if not left:
            self._window.say("Nothing was left: every job was saved, or given up")
            return
        self.dialog = LeftDialog(left, self, self._window)
        self.dialog.finished.connect(self._finished)
        self.dialog.open()

    def _finished(self, _: int) -> None:
        from silhueta.core.keep.recover import put_off

        assert self.dialog is not None
        for one in self.dialog.unanswered:
            put_off(one.file)
        if self._taken is not None:
            self._taken.release()
        self.dialog = None

    # what may be answered

    def go_on(self, one: Left) -> None:
        """Open a job as it was left, with its history and marks."""
        back = one.back
        assert back is not None
        self.bench.ask(
            "Opening",
            lambda _: _Returned(
                open_job(back.history.job, back.history.file), back.history, one.file
            ),
        )

    def _bring_back(self, returned: _Returned) -> None:
        from silhueta.core.keep.recover import throw_away

        window = self._window
        window.filing.show(returned.opened, returned.history)
        # the old journal goes once the new one has everything
        if window.session.job is returned.history.job and window.keeping.wait():
            throw_away(returned.journal)

    def save_elsewhere(self, one: Left) -> bool:
        """Ask where, and save a job there; return whether it is saved."""
        from silhueta.core.errors import FileError
        from silhueta.core.files.job_file import SUFFIX, save_job
        from silhueta.core.files.names import file_name

        assert one.back is not None
        history = one.back.history
        proposal = File.home() / f"{file_name(history.job.name)}{SUFFIX}"
        chosen, _ = QFileDialog.getSaveFileName(
            self.dialog, "Save the job", str(proposal), f"Jobs (*{SUFFIX})"
        )
        if not chosen:
            return False
        target = File(chosen)
        target = target if target.suffix == SUFFIX else target.with_name(target.name + SUFFIX)
        try:
            save_job(history.job, target, dict(history.marks))
        except FileError as error:
            self._window.say(str(error))
            return False
        return self.throw_away(one)

    def throw_away(self, one: Left) -> bool:
        """Delete a journal; return whether it is gone."""
        from silhueta.core.errors import FileError
        from silhueta.core.keep.recover import throw_away

        try:
            throw_away(one.file)
        except FileError as error:
            self._window.say(str(error))
            return False
        return True


class LeftDialog(QDialog):
    """The jobs that were left, each with its picture and what can become of it."""

    def __init__(self, left: list[Left], recovery: Recovery, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("left-behind")
        self.setWindowTitle("Silhueta")
        self.unanswered = [one for one in left if one.back is not None]
        self._recovery = recovery
        head = QLabel("Silhueta was stopped before these jobs were saved", self)
        head.setFont(font(18))
        head.setWordWrap(True)
        text = QLabel("Nothing is lost: each is as it was at its last step.", self)
        text.setStyleSheet(f"color: {FAINT.name()}")
        inner = QWidget(self)
        self._rows = QVBoxLayout(inner)
        self._rows.setContentsMargins(0, 0, 8, 0)
        for one in left:
            self._rows.addWidget(_LeftRow(one, self))
        self._rows.addStretch(1)
        scroll = QScrollArea(self)
        scroll.setWidgetResizable(True)
        scroll.setWidget(inner)
        scroll.setMinimumHeight((_PICTURE + 24) * min(len(left), _SHOWN) + 8)
        later = QPushButton("Later", self)
        later.setObjectName("left-later")
        later.setToolTip("They stay; Find an action, “Bring back jobs that were left”, shows them")
        later.clicked.connect(self.reject)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(later)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 20, 24, 16)
        column.setSpacing(10)
        column.addWidget(head)
        column.addWidget(text)
        column.addWidget(scroll, 1)
        column.addLayout(foot)
        self.resize(720, 0)

    def answer(self, row: _LeftRow, what: Callable[[Left], object]) -> None:
        """Do what was chosen of a job, and put it off the list when that is done."""
        if what(row.left) is False:
            return
        self.unanswered = [one for one in self.unanswered if one is not row.left]
        row.hide()
        if what == self._recovery.go_on or not self.unanswered:
            self.accept()


class _LeftRow(QWidget):
    """One job that was left."""

    def __init__(self, left: Left, dialog: LeftDialog) -> None:
        super().__init__(dialog)
        self.left, self._dialog = left, dialog
        picture = QLabel(self)
        picture.setFixedSize(_PICTURE, _PICTURE)
        shown = QPixmap()
        if left.picture and shown.loadFromData(left.picture):
            picture.setPixmap(
                shown.scaled(
                    _PICTURE,
                    _PICTURE,
                    Qt.AspectRatioMode.KeepAspectRatio,
                    Qt.TransformationMode.SmoothTransformation,
                )
            )
        words = QVBoxLayout()
        words.setSpacing(2)
        name = QLabel(self)
        name.setFont(font(15))
        detail = QLabel(self)
        detail.setWordWrap(True)
        detail.setStyleSheet(f"color: {FAINT.name()}")
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 6, 0, 6)
        line.addWidget(picture)
        words.addStretch(1)
        words.addWidget(name)
        words.addWidget(detail)
        words.addStretch(1)
        line.addLayout(words, 1)
        if left.back is None:
            name.setText("Cannot be brought back")
            detail.setText(left.wrong)
            return
        name.setText(left.back.history.job.name)
        detail.setText(_told(left))
        recovery = dialog._recovery
        for key, title, what in (
            ("go-on", "Go on", recovery.go_on),
            ("save", "Save elsewhere…", recovery.save_elsewhere),
            ("drop", "Throw away", recovery.throw_away),
        ):
            button = QPushButton(title, self)
            button.setObjectName(f"left-{key}")
            button.setAccessibleName(f"{title}: {left.back.history.job.name}")
            button.clicked.connect(lambda _=False, b=button, w=what: self._chosen(b, w))
            line.addWidget(button)

    def _chosen(self, button: QPushButton, what: Callable[[Left], object]) -> None:
        """Do what was chosen; what cannot be taken back is asked once more, at the button."""
        sure = "Yes, throw away"
        if button.objectName() == "left-drop" and button.text() != sure:
            button.setText(sure)
            return
        self._dialog.answer(self, what)


def _told(left: Left) -> str:
    """Return when a job was left, and after which step."""
    assert left.back is not None
    when = QDateTime.fromSecsSinceEpoch(int(left.back.at))
    told = QLocale().toString(when, QLocale.FormatType.ShortFormat)
    last = left.back.last
    step = f", after “{last}”" if last else ""
    torn = "; its very last moment is missing" if left.back.torn else ""
    return f"{told}{step}{torn}"
