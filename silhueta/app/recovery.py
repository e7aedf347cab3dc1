"""Jobs that a stopped window left: asked about once, at the next start."""

from __future__ import annotations

from pathlib import Path as File
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QObject
from PySide6.QtWidgets import (
    QFileDialog,
)

from silhueta.app.opened import Opened, open_job
from silhueta.app.work import Bench

if TYPE_CHECKING:
    from silhueta.app.left_dialog import LeftDialog
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
        from silhueta.app.left_dialog import LeftDialog
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
