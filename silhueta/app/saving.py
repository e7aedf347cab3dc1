"""Saving a job: in its turn beside the interface, never over what somebody else wrote meanwhile."""

from __future__ import annotations

from pathlib import Path as File
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QLocale, QObject, QTime
from PySide6.QtWidgets import QMessageBox

from silhueta.app.work import Queue
from silhueta.app.writes import saved
from silhueta.core.errors import SilhuetaError, reason_of
from silhueta.core.job import Job
from silhueta.core.keep.hold import Hold, Stamp, stamp_of

if TYPE_CHECKING:
    from silhueta.app.files import Filing
    from silhueta.app.window import Window

JOB_SUFFIX = ".silhueta"
_BESIDE, _INSTEAD = "beside", "instead"


class _Save(NamedTuple):
    """A job that is being saved, where to, and in which session it was open.

    kept : str
        Where what somebody else wrote is now; "": there was none.
    """

    job: Job
    target: File
    session: int
    kept: str = ""


class Saving(QObject):
    """What the window does with its own job file."""

    def __init__(self, window: Window, filing: Filing, locks: File | None) -> None:
        super().__init__(window)
        self._window, self._filing = window, filing
        self.hold = Hold(locks)
        self._stamp: Stamp | None = None  # of the session's file, as it was read or written
        self._saved_at: QTime | None = None
        self.writing = Queue(self)  # what is saved must be, whatever is opened meanwhile
        self.writing.done.connect(self._on_done)
        self.writing.failed.connect(self._on_failed)

    def opened(self, file: File | None) -> bool:
        """Note that a job file was opened; return False where another window has it open."""
        mine = self.hold.take(file)
        if not mine:
            self.hold.release()
        self._stamp = None if file is None else stamp_of(file)
        self._saved_at = None
        return mine

    @property
    def told(self) -> str:
        """When the job was saved as it is now, to be put to its size; "" where it was not."""
        at = self._saved_at
        if at is None or self._window.session.dirty:
            return ""
        return f"\nsaved {QLocale().toString(at, QLocale.FormatType.ShortFormat)}"

    def save(self) -> None:
        """Save the job where it came from, or ask where."""
        if self._window.session.file is None:
            self.save_as()
        else:
            self.save_to(self._window.session.file)

    def save_as(self) -> None:
        """Ask where, and save the job there."""
        target = self._ask()
        if target is not None:
            self.save_to(target)

    def save_now(self) -> bool:
        """Save before leaving; return whether it is saved."""
        from silhueta.core.files.job_file import save_job

        window = self._window
        target = window.session.file or self._ask()
        asked = None if target is None else self._asked(target)
        if asked is None:
            return False
        try:
            save_job(window.session.job, asked.target, window.session.marks)
        except SilhuetaError as error:
            self._on_failed(str(error))
            return False
        self._is_saved(asked)
        return True

    def _ask(self) -> File | None:
        name = self._window.session.job.name
        return self._filing.ask_target("Save the job", name, JOB_SUFFIX, "Jobs")

    def save_to(self, target: File) -> None:
        """Save the job there, in its turn."""
        asked = self._asked(target)
        if asked is not None:
            marks = dict(self._window.session.marks)
            self.writing.ask("Saving", lambda _: saved(asked.job, asked.target, marks), asked)

    def _asked(self, target: File) -> _Save | None:
        """Return what is to be saved where; None: not now."""
        session = self._window.session
        asked = _Save(session.job, target, session.number)
        if self.hold.others(target):
            self._window.say(
                f"“{target.name}” is open in another window; save this one under another name"
            )
            return None
        own = session.file is not None and session.file.resolve() == target.resolve()
        now = stamp_of(target)
        if not own or self._stamp is None or now is None or now == self._stamp:
            return asked
        from silhueta.core.files.names import free_name

        how = self._choose(target)
        if how == _BESIDE:
            return asked._replace(target=free_name(target))
        if how != _INSTEAD:
            return None
        theirs = free_name(target.with_name(f"{target.stem}-theirs{target.suffix}"))
        try:
            target.rename(theirs)
        except OSError as error:
            self._window.say(
                f"cannot put {target.name} aside: {reason_of(error)}; save under another name"
            )
            return None
        return asked._replace(kept=theirs.name)

    def _choose(self, target: File) -> str:
        """Ask what becomes of a file that somebody else changed; nothing of it is lost."""
        box = QMessageBox(self._window)
        box.setObjectName("changed-by-others")
        box.setWindowTitle("Silhueta")
        box.setText(f"“{target.name}” was changed by somebody else since you opened it.")
        box.setInformativeText("Both are kept, whatever you choose.")
        beside = box.addButton("Save mine beside it", QMessageBox.ButtonRole.AcceptRole)
        instead = box.addButton("Put theirs aside", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Go on working", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        chosen = box.clickedButton()
        return _BESIDE if chosen is beside else _INSTEAD if chosen is instead else ""

    def _on_done(self, _: object, asked: _Save) -> None:
        self._window.notice.hide()
        self._is_saved(asked)

    def _is_saved(self, asked: _Save) -> None:
        window = self._window
        if asked.session == window.session.number:  # else another job is open by now
            self.hold.take(asked.target)
            self._stamp = stamp_of(asked.target)
            self._saved_at = QTime.currentTime()
            window.session.mark_saved(asked.job, asked.target)
        window.remembered.add_recent(asked.target)
        if asked.kept:
            window.say(f"Saved; what somebody else wrote is “{asked.kept}” now")

    def _on_failed(self, why: str) -> None:
        kept = "; your steps are kept meanwhile" if self._window.keeping.keeps else ""
        self._window.say(f"{why}{kept}")

    def close(self) -> None:
        """Let what is being written finish, and hold nothing any more."""
        self.writing.close()
        self.hold.release()
