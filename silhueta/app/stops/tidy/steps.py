"""Part of the Tidy worksheet: every step taken, to go back to, and marks that keep a state."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QFont
from PySide6.QtWidgets import (
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from silhueta.app.session import Session
from silhueta.app.widgets import Note, heading, row

_MOST = 300  # steps listed


class TidySteps(QWidget):
    """The history, the newest on top; a click goes there."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.steps = QListWidget(self)
        self.steps.setAccessibleName("Steps")
        self.steps.setToolTip("Click a step to go to how things stood after it")
        self.steps.setMinimumHeight(180)
        self.steps.setWordWrap(True)
        self.steps.setSpacing(2)
        self.steps.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.name = QLineEdit(self)
        self.name.setAccessibleName("Name of the mark")
        self.name.setPlaceholderText("before the beak")
        self.mark = QPushButton("Mark", self)
        self.mark.setObjectName("mark")
        self.mark.setToolTip("Keep how things stand now, under this name")
        self.marks = QListWidget(self)
        self.marks.setAccessibleName("Marks")
        self.marks.setMaximumHeight(96)
        self.back = QPushButton("Bring back", self)
        self.back.setObjectName("bring-back")
        self.drop = QPushButton("Drop mark", self)
        self.drop.setObjectName("drop-mark")
        self.note = Note(parent=self)
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(5)
        inside.addWidget(self.steps, 1)
        inside.addWidget(heading("Marks", self))
        inside.addLayout(row(self.name, self.mark))
        inside.addWidget(self.marks)
        inside.addLayout(row(self.back, self.drop))
        inside.addWidget(self.note)
        self.steps.itemClicked.connect(self._jump)
        self.steps.itemActivated.connect(self._jump)
        self.mark.clicked.connect(self._mark)
        self.name.returnPressed.connect(self._mark)
        self.back.clicked.connect(lambda: self._with_mark(session.go_to_mark))
        self.drop.clicked.connect(lambda: self._with_mark(session.drop_mark))
        self.marks.currentRowChanged.connect(lambda _: self._enable())

    def _jump(self, item: QListWidgetItem) -> None:
        self._session.jump(int(item.data(Qt.ItemDataRole.UserRole)))

    def _mark(self) -> None:
        name = self.name.text().strip() or self._free_name()
        if name in self._session.marks:
            self.note.say(f"There is a mark “{name}” already; drop it first, or take another name.")
            return
        self.note.say("")
        self.name.clear()
        self._session.mark(name)

    def _free_name(self) -> str:
        number = 1
        while f"mark {number}" in self._session.marks:
            number += 1
        return f"mark {number}"

    def _with_mark(self, do: object) -> None:
        item = self.marks.currentItem()
        if item is not None and callable(do):
            do(item.text())

    def _enable(self) -> None:
        chosen = self.marks.currentItem() is not None
        for button in (self.back, self.drop):
            button.setEnabled(chosen)
            button.setToolTip("" if chosen else "choose a mark first")

    def refresh(self, _: object = None) -> None:
        """List the steps and marks."""
        labels, at = self._session.history, self._session.at
        self.steps.clear()
        for number in range(len(labels) - 1, max(-1, len(labels) - 1 - _MOST), -1):
            label = labels[number] or "as it was opened"
            item = QListWidgetItem(f"▸ {label}, now" if number == at else label)
            item.setData(Qt.ItemDataRole.UserRole, number)
            if number == at:
                bold = item.font()
                bold.setWeight(QFont.Weight.DemiBold)
                item.setFont(bold)
            self.steps.addItem(item)
        present = [self.marks.item(k).text() for k in range(self.marks.count())]
        if present != list(self._session.marks):
            self.marks.clear()
            self.marks.addItems(list(self._session.marks))
        self._enable()
