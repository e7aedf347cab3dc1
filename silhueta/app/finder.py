"""Find an action: every action by its words, with its key and, when grey, why."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, QSize, Qt, Slot
from PySide6.QtGui import QColor, QKeyEvent
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from silhueta.app.actions import Action, Actions, key_text
from silhueta.app.look.theme import AMBER_DEEP, FAINT, INK, font


class Finder(QDialog):
    """A field and a list under it; Enter does what is chosen."""

    def __init__(self, actions: Actions, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self._actions = actions
        self.setObjectName("finder")
        self.setFixedWidth(520)
        self.field = QLineEdit(self)
        self.field.setPlaceholderText("What do you want to do?")
        self.field.setAccessibleName("Find an action")
        self.list = QListWidget(self)
        self.list.setAccessibleName("Actions found")
        self.list.setMinimumHeight(360)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 12, 12, 12)
        layout.addWidget(self.field)
        layout.addWidget(self.list)
        self.field.textChanged.connect(self._fill)
        self.field.installEventFilter(self)
        self.list.itemActivated.connect(self._choose)
        self._fill("")

    @Slot(str)
    def _fill(self, text: str) -> None:
        self.list.clear()
        words = text.lower().split()
        for record in self._actions.all():
            searched = f"{record.text} {record.words}".lower()
            if all(word in searched for word in words):
                self._add(record)
        if self.list.count():
            self.list.setCurrentRow(0)
        else:
            item = QListWidgetItem(f"No action has “{text}” in its words")
            item.setFlags(Qt.ItemFlag.NoItemFlags)
            self.list.addItem(item)

    def _add(self, record: Action) -> None:
        reason = record.why_not()
        item = QListWidgetItem(self.list)
        item.setData(Qt.ItemDataRole.UserRole, record.id)
        spoken = f"{record.text}, not now: {reason}" if reason else record.text
        item.setData(Qt.ItemDataRole.AccessibleTextRole, spoken)
        row = QWidget()
        layout = QHBoxLayout(row)
        layout.setContentsMargins(10, 0, 10, 0)
        name = QLabel(record.text)
        layout.addWidget(name)
        if reason:
            name.setStyleSheet(f"color: {FAINT.name()}")
            layout.addWidget(_note(f"not now: {reason}", AMBER_DEEP), 1)
        else:
            layout.addStretch(1)
        layout.addWidget(_note(key_text(record), INK))
        item.setSizeHint(QSize(0, 34))
        self.list.setItemWidget(item, row)

    @Slot(QListWidgetItem)
    def _choose(self, item: QListWidgetItem | None = None) -> None:
        chosen = item or self.list.currentItem()
        identifier = chosen.data(Qt.ItemDataRole.UserRole) if chosen else None
        if identifier:
            self.close()
            self._actions.run(identifier)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Let the arrows move in the list and Enter choose, while the field keeps the focus."""
        if (
            watched is self.field
            and isinstance(event, QKeyEvent)
            and event.type() == QEvent.Type.KeyPress
        ):
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if step is not None and self.list.count():
                self.list.setCurrentRow((self.list.currentRow() + step) % self.list.count())
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._choose()
                return True
        return super().eventFilter(watched, event)


def _note(text: str, colour: QColor) -> QLabel:
    label = QLabel(text)
    label.setFont(font(13, narrow=True))
    label.setStyleSheet(f"color: {colour.name()}")
    return label
