"""Every action, declared once: menus, keys, Find an action and help come from this record."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QObject
from PySide6.QtGui import QAction, QKeySequence
from PySide6.QtWidgets import QWidget

Reason = Callable[[], str]


def always() -> str:
    """Say that nothing stands in the way."""
    return ""


@dataclass(frozen=True)
class Action:
    """What a person can do.

    Parameters
    ----------
    id : str
    text : str
        As buttons and Find an action say it.
    run : callable
    keys : tuple of str or QKeySequence.StandardKey
    why_not : callable
        Returns why it cannot be done now, as half a sentence, or "".
    words : str
        More words it is found by.

    """

    id: str
    text: str
    run: Callable[[], None]
    keys: tuple[str | QKeySequence.StandardKey, ...] = ()
    why_not: Reason = always
    words: str = ""


class Actions(QObject):
    """The actions of a window, each with its QAction."""

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self._window = window
        self._records: dict[str, Action] = {}
        self._actions: dict[str, QAction] = {}

    def add(self, *records: Action) -> None:
        """Declare `records`."""
        for record in records:
            action = QAction(record.text, self._window)
            action.setObjectName(record.id)
            action.setShortcuts(_sequences(record.keys))
            action.triggered.connect(lambda _=False, r=record: self.run(r.id))
            self._window.addAction(action)
            self._records[record.id], self._actions[record.id] = record, action

    def all(self) -> list[Action]:
        """Return the records in the order they were declared."""
        return list(self._records.values())

    def action(self, identifier: str) -> QAction:
        """Return the QAction of a record."""
        return self._actions[identifier]

    def run(self, identifier: str) -> None:
        """Do it, if nothing stands in the way."""
        record = self._records[identifier]
        if not record.why_not():
            record.run()

    def refresh(self) -> None:
        """Make what cannot be done grey, with the reason as its tip."""
        for identifier, record in self._records.items():
            reason = record.why_not()
            action = self._actions[identifier]
            # the key stays alive on a grey action's record: run() asks again
            action.setEnabled(not reason)
            keys = key_text(record)
            action.setToolTip(
                f"{record.text}: {reason}" if reason else f"{record.text}  {keys}".strip()
            )


def key_text(record: Action) -> str:
    """Return an action's first key as people read it."""
    sequences = _sequences(record.keys)
    return sequences[0].toString(QKeySequence.SequenceFormat.NativeText) if sequences else ""


def _sequences(keys: tuple[str | QKeySequence.StandardKey, ...]) -> list[QKeySequence]:
    found: list[QKeySequence] = []
    for key in keys:
        if isinstance(key, QKeySequence.StandardKey):
            found.extend(QKeySequence.keyBindings(key))
        else:
            found.append(QKeySequence(key))
    return found
