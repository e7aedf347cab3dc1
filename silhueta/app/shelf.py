"""The dialog of the shelf: found as one types, opened, laid into the present job, added to."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import (
    QAbstractListModel,
    QModelIndex,
    QObject,
    QPersistentModelIndex,
    QSize,
    Qt,
)
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListView,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from silhueta.app.look.theme import font
from silhueta.app.widgets import Note, Select
from silhueta.core.errors import SilhuetaError
from silhueta.core.units import format_length
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.app.shelving import Shelving
    from silhueta.app.window import Window
    from silhueta.core.keep.entry import Entry
    from silhueta.core.keep.shelf import Shelf

_ICON, _CELL = 112, QSize(148, 176)  # px of a picture in the list, and of its place with the name
_LARGE = 240  # px of the chosen one's picture
_MOST = 2000  # jobs in view: nobody looks through more, and typing a word finds the others
_SORTS = {"used": "Used lately", "name": "By name", "size": "Largest first", "saved": "Last saved"}
PAPER = "#f7f6f4"  # what pictures of jobs are drawn on (core/files/preview)
_Index = QModelIndex | QPersistentModelIndex


class _Jobs(QAbstractListModel):
    """The jobs that were found, their pictures fetched as they come into view."""

    def __init__(self, shelf: Shelf, unit: str, parent: QObject) -> None:
        super().__init__(parent)
        self._shelf, self._unit = shelf, unit
        self.entries: list[Entry] = []
        self._pictures: dict[tuple[str, float], QPixmap] = {}

    def show(self, entries: list[Entry]) -> None:
        """Show other jobs."""
        self.beginResetModel()
        self.entries = entries
        self.endResetModel()

    def rowCount(self, parent: _Index | None = None) -> int:
        """Return how many there are."""
        return 0 if parent is not None and parent.isValid() else len(self.entries)

    def data(self, index: _Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Return a job's name with its size, its picture, or all of it for a reader aloud."""
        one = self.entries[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return f"{one.name}\n{self.size(one)}"
        if role == Qt.ItemDataRole.DecorationRole:
            return self.picture(one, _ICON)
        if role in (Qt.ItemDataRole.ToolTipRole, Qt.ItemDataRole.AccessibleTextRole):
            return ", ".join(filter(None, (one.name, self.size(one), one.words, one.file)))
        return None

    def size(self, one: Entry) -> str:
        """Return how large a job is, in words."""
        if not (one.width or one.height):
            return "no outline yet"
        unit: Any = self._unit
        places = 1 if unit == "mm" else 2
        wide, high = (format_length(v, unit, places) for v in (one.width, one.height))
        return f"{wide.removesuffix(f' {unit}')} × {high}"

    def picture(self, one: Entry, size: int) -> QPixmap:
        """Return a job's picture, so large."""
        key = (f"{one.file} {size}", one.saved)
        if key not in self._pictures:
            made = QPixmap()
            made.loadFromData(self._shelf.picture(one.file))
            if made.isNull():
                made = QPixmap(size, size)
                made.fill(Qt.GlobalColor.transparent)
            self._pictures[key] = made.scaled(
                size,
                size,
                Qt.AspectRatioMode.KeepAspectRatio,
                Qt.TransformationMode.SmoothTransformation,
            )
        return self._pictures[key]


class ShelfDialog(QDialog):
    """A search line, the jobs that it finds, and what can become of the chosen one."""

    def __init__(self, shelving: Shelving, window: Window) -> None:
        super().__init__(window)
        self.setObjectName("shelf")
        self.setWindowTitle("Shelf")
        self.resize(1000, 660)
        self._shelving, self._window = shelving, window
        self._shelf = shelving.shelf()
        self.jobs = _Jobs(self._shelf, window.session.units, self)
        self.search = QLineEdit(self)
        self.search.setObjectName("shelf-search")
        self.search.setAccessibleName("Search the shelf")
        self.search.setPlaceholderText("Words, or a size: heron, 120 x 80")
        self.search.setClearButtonEnabled(True)
        self.sort = Select(self)
        self.sort.setObjectName("shelf-sort")
        self.sort.setAccessibleName("In this order")
        for key, words in _SORTS.items():
            self.sort.addItem(words, key)
        self.list = QListView(self)
        self.list.setObjectName("shelf-jobs")
        self.list.setAccessibleName("Jobs on the shelf")
        self.list.setViewMode(QListView.ViewMode.IconMode)
        self.list.setResizeMode(QListView.ResizeMode.Adjust)
        self.list.setMovement(QListView.Movement.Static)
        self.list.setUniformItemSizes(True)
        self.list.setWordWrap(True)
        self.list.setIconSize(QSize(_ICON, _ICON))
        self.list.setGridSize(_CELL)
        self.list.setModel(self.jobs)
        self.list.setStyleSheet(f"QListView {{ background: {PAPER}; padding: 8px }}")
        self.found = Note("", self)
        self._lay_out(self._details())
        self.search.textChanged.connect(lambda _: self.refresh())
        self.sort.currentIndexChanged.connect(lambda _: self.refresh())
        self.list.selectionModel().currentChanged.connect(lambda *_: self._show_chosen())
        self.list.doubleClicked.connect(lambda _: self._do("open"))
        self._wrong = 0
        self.refresh()
        self.search.setFocus()

    def _lay_out(self, details: QWidget) -> None:
        top = QHBoxLayout()
        top.addWidget(self.search, 1)
        top.addWidget(self.sort)
        middle = QHBoxLayout()
        middle.addWidget(self.list, 1)
        middle.addWidget(details)
        foot = QHBoxLayout()
        for key, words, run in (
            ("keep", "Keep the present job…", self._keep),
            ("take-in", "Put files onto it…", self._shelving.take_in),
            ("export", "Pack it…", self._shelving.export),
        ):
            foot.addWidget(self._button(key, words, run))
        foot.addWidget(self.found, 1)
        foot.addWidget(self._button("close", "Close", self.reject))
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 18, 20, 16)
        column.setSpacing(12)
        column.addLayout(top)
        column.addLayout(middle, 1)
        column.addLayout(foot)

    def _button(self, key: str, words: str, run: Any) -> QPushButton:
        button = QPushButton(words, self)
        button.setObjectName(f"shelf-{key}")
        button.setAutoDefault(False)
        button.clicked.connect(lambda _=False: run())
        return button

    def _details(self) -> QWidget:
        side = QWidget(self)
        side.setFixedWidth(_LARGE + 8)
        column = QVBoxLayout(side)
        column.setContentsMargins(8, 0, 0, 0)
        self._picture = QLabel(side)
        self._picture.setFixedSize(_LARGE, _LARGE)
        self._picture.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._name = QLabel(side)
        self._name.setFont(font(16))
        self._name.setWordWrap(True)
        self._about = Note("", side)
        column.addWidget(self._picture)
        column.addWidget(self._name)
        column.addWidget(self._about)
        column.addStretch(1)
        self._chosen_buttons = []
        for key, words in (
            ("open", "Open"),
            ("copy", "Open as a copy"),
            ("lay-in", "Lay into the present job"),
        ):
            button = self._button(key, words, partial(self._do, key))
            self._chosen_buttons.append(button)
            column.addWidget(button)
        return side

    def refresh(self, wrong: int | None = None) -> None:
        """Find anew; `wrong`: so many files cannot be read."""
        self._wrong = self._wrong if wrong is None else wrong
        try:
            found = self._shelf.find(self.search.text(), self.sort.currentData(), _MOST)
        except SilhuetaError as error:
            self.found.say(str(error), fault=True)
            return
        self.jobs.show(found)
        if found:
            self.list.setCurrentIndex(self.jobs.index(0, 0))
        told = counted(len(found), "job")
        if not found:
            typed = self.search.text().strip()
            told = f"nothing is found by “{typed}”" if typed else "The shelf is empty"
        if self._wrong:
            told += f"; {counted(self._wrong, 'file')} cannot be read"
        self.found.say(told)
        bad = self._shelf.unreadable()[:9] if self._wrong else []
        self.found.setToolTip("\n".join(f"{one.file}: {one.wrong}" for one in bad))
        self._show_chosen()

    @property
    def chosen(self) -> Entry | None:
        """The job that is chosen."""
        row = self.list.currentIndex().row()
        return self.jobs.entries[row] if 0 <= row < len(self.jobs.entries) else None

    def _show_chosen(self) -> None:
        one = self.chosen
        for button in self._chosen_buttons:
            button.setEnabled(one is not None)
            button.setToolTip("" if one is not None else "Choose a job first")
        if one is None:
            self._picture.clear()
            self._name.clear()
            self._about.say("")
            return
        self._picture.setPixmap(self.jobs.picture(one, _LARGE))
        self._name.setText(one.name)
        told = [self.jobs.size(one), one.description, one.words]
        told += [f"Made by {one.maker}" if one.maker else ""]
        told += [f"For {one.customer}" if one.customer else ""]
        told += [", ".join(filter(None, (one.material, one.process)))]
        self._about.say("\n".join(filter(None, told)))

    def _do(self, key: str) -> None:
        one = self.chosen
        if one is None:
            return
        self.accept()
        if key == "lay-in":
            self._shelving.lay_in(one)
        else:
            self._shelving.open(one, copy=key == "copy")

    def _keep(self) -> None:
        self.accept()
        self._shelving.keep()
