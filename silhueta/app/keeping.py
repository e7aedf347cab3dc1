"""The window's journal: told of every change, so that a crash loses three seconds at most."""

from __future__ import annotations

from pathlib import Path as File

from PySide6.QtCore import QObject, QTimer, Signal

from silhueta.app.session import Change, Session
from silhueta.core.keep.history import Told
from silhueta.core.keep.keeper import Keeper

_LOOK = 2000  # ms between looks whether everything is to be told anew


class Keeping(QObject):
    """Tells a session's changes to its journal.

    A job without a change that is not saved has none: there is nothing that could be lost.
    """

    failed = Signal(str)  # why steps cannot be kept; "" when they can again

    def __init__(self, session: Session, folder: File | None, parent: QObject) -> None:
        super().__init__(parent)
        self._session = session
        self._keeper = None if folder is None else Keeper(folder, self.failed.emit)
        self._begun = False
        self._look = QTimer(self)
        self._look.timeout.connect(self._again)
        if self._keeper is not None:
            session.changed.connect(self._tell)

    def _tell(self, change: Change) -> None:
        keeper, session = self._keeper, self._session
        assert keeper is not None
        if change.what == "began" and self._begun:
            keeper.end()
            self._begun = False
            self._look.stop()
        if not self._begun:
            if session.dirty:
                self._begun = True
                self._look.start(_LOOK)
                keeper.tell(session.held)
            return
        if keeper.wants_all:
            keeper.tell(session.held)
            return
        marked = session.marks.get(change.label) if change.what == "marked" else None
        file = "" if session.file is None else str(session.file)
        keeper.tell(
            Told(
                change.what,
                marked or change.after,
                change.label,
                change.merged,
                session.at,
                session.dirty,
                file,
            )
        )

    @property
    def keeps(self) -> bool:
        """Whether steps are on disk, whatever becomes of the job file."""
        return self._keeper is not None and self._begun and not self._keeper.refused

    def _again(self) -> None:
        if self._keeper is not None and self._keeper.wants_all:
            self._keeper.tell(self._session.held)

    def wait(self) -> bool:
        """Return whether every step is on disk, after waiting for the disk."""
        return self._keeper is None or self._keeper.wait()

    def close(self, *, keep: bool = False) -> None:
        """End the journal; without `keep` it is deleted."""
        self._look.stop()
        if self._keeper is not None:
            self._session.changed.disconnect(self._tell)
            self._keeper.end(keep=keep)
            self._keeper = None
