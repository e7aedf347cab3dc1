"""The shelf in the window: found as one types, opened, laid into the present job, added to."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from pathlib import Path as File
from typing import TYPE_CHECKING, Any, NamedTuple

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
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListView,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from silhueta.app.card_dialog import CardDialog
from silhueta.app.look.theme import font
from silhueta.app.opened import Opened, open_file
from silhueta.app.widgets import Note, Select
from silhueta.app.work import Bench
from silhueta.core.errors import SilhuetaError
from silhueta.core.job import Job
from silhueta.core.units import format_length
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.app.window import Window
    from silhueta.core.keep.entry import Entry
    from silhueta.core.keep.places import Places
    from silhueta.core.keep.shelf import Shelf

_ICON, _CELL = 112, QSize(148, 176)  # px of a picture in the list, and of its place with the name
_LARGE = 240  # px of the chosen one's picture
_MOST = 2000  # jobs in view: nobody looks through more, and typing a word finds the others
_SORTS = {"used": "Used lately", "name": "By name", "size": "Largest first", "saved": "Last saved"}
PAPER = "#f7f6f4"  # what pictures of jobs are drawn on (core/files/preview)
_Index = QModelIndex | QPersistentModelIndex


class _Looked(NamedTuple):
    wrong: int


class _Recent(NamedTuple):
    """Small pictures of job files, by their names; those that are no more are missing."""

    pictures: dict[str, bytes]


class _Opening(NamedTuple):
    job: Job
    name: str


class Shelving(QObject):
    """What the window does with the shelf."""

    def __init__(self, window: Window, places: Places | None) -> None:
        super().__init__(window)
        self._window, self._places = window, places
        self.dialog: ShelfDialog | None = None
        self.bench = Bench(self)
        self.bench.done.connect(self._on_done)
        self.bench.failed.connect(lambda text: window.say(text))

    def shelf(self) -> Shelf:
        """Return the shelf."""
        from silhueta.core.keep.places import usual
        from silhueta.core.keep.shelf import Shelf, index_in

        places = self._places or usual()
        return Shelf(places.shelf, index_in(places.indexes, places.shelf))

    def show_recent(self) -> None:
        """Put pictures to the last jobs on the empty table; one may lie on a drive that is gone."""
        names = self._window.remembered.now.recent

        def read(_: object) -> _Recent:
            from silhueta.core.keep.entry import picture_in

            found = {name: picture_in(File(name)) for name in names}
            return _Recent({name: data for name, data in found.items() if data is not None})

        if names:
            self.bench.ask("Looking at the last jobs", read)

    def show(self) -> None:
        """Show the shelf, and look into its folder meanwhile."""
        self.dialog = ShelfDialog(self, self._window)
        self.dialog.open()
        self.look()

    def look(self) -> None:
        """Look into the folder beside the interface."""
        kept = self.shelf()
        self.bench.ask("Looking at the shelf", lambda work: _Looked(kept.look(work).wrong))

    def keep(self) -> None:
        """Ask what is to be said of the present job, and put it on the shelf."""
        from silhueta.core.files.job_file import SUFFIX
        from silhueta.core.files.names import file_name, free_name
        from silhueta.core.job import set_card

        session = self._window.session
        dialog = CardDialog(session.job, self._window)
        if dialog.exec() != QDialog.DialogCode.Accepted:
            return
        name, card = dialog.name, dialog.card
        session.apply("Write its card", lambda job: set_card(_named(job, name), card))
        folder = self.shelf().folder
        file = session.file
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            self._window.say(f"cannot make the shelf {folder}: {error.strerror}")
            return
        if file is None or file.parent.resolve() != folder.resolve():
            file = free_name(folder / f"{file_name(name)}{SUFFIX}")
        self._window.filing.saving.save_to(file)

    def open(self, entry: Entry, *, copy: bool) -> None:
        """Open a job of the shelf as itself, or as a copy that is saved elsewhere."""
        kept = self.shelf()
        file = kept.folder / entry.file
        kept.opened(entry.file)
        filing = self._window.filing
        if not copy:
            filing.open_file(file)
            return

        def opened(work: Any) -> object:
            found = open_file(file, work)
            assert isinstance(found, Opened)
            return replace(found, file=None)

        filing.bench.ask("Opening", opened)

    def lay_in(self, entry: Entry) -> None:
        """Lay a job's outline into the present one."""
        kept = self.shelf()
        file = kept.folder / entry.file
        kept.opened(entry.file)

        def read(_: object) -> _Opening:
            from silhueta.core.files.job_file import load_job

            return _Opening(load_job(file), entry.name)

        self.bench.ask("Reading", read)

    def take_in(self) -> None:
        """Ask for job files or an exported shelf, and copy them onto this one."""
        chosen, _ = QFileDialog.getOpenFileNames(
            self.dialog, "Put onto the shelf", str(File.home()), "Jobs (*.silhueta *.zip)"
        )
        kept = self.shelf()

        def added(work: Any) -> _Looked:
            for one in map(File, chosen):
                kept.take_in(one) if one.suffix.lower() == ".zip" else kept.add(one)
            return _Looked(kept.look(work).wrong)

        if chosen:
            self.bench.ask("Putting onto the shelf", added)

    def export(self) -> None:
        """Ask where, and pack the whole shelf there."""
        chosen, _ = QFileDialog.getSaveFileName(
            self.dialog, "Pack the shelf", str(File.home() / "shelf.zip"), "Archives (*.zip)"
        )
        kept = self.shelf()
        if chosen:
            target = File(chosen)
            target = target if target.suffix == ".zip" else target.with_name(target.name + ".zip")
            self.bench.ask("Packing", lambda _: (kept.export(target), target.name))

    def _on_done(self, result: object, _: object) -> None:
        window = self._window
        if isinstance(result, _Looked) and self.dialog is not None:
            self.dialog.refresh(result.wrong)
        elif isinstance(result, _Recent):
            window.start_card.show_pictures(result.pictures)
        elif isinstance(result, _Opening):
            from silhueta.core.build.lay_in import laid_in

            try:
                window.session.apply(
                    f"Lay in “{result.name}”", lambda job: laid_in(job, result.job)
                )
            except SilhuetaError as error:
                window.say(str(error))
                return
            window.go("build")
            window.table.fit()
        elif isinstance(result, tuple):
            window.say(f"{counted(result[0], 'job')} packed into {result[1]}")


def _named(job: Job, name: str) -> Job:
    return job if job.name == name else replace(job, name=name)


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
        names = [f"{one.file}: {one.wrong}" for one in self._shelf.unreadable()[:9]]
        self.found.setToolTip("\n".join(names) if self._wrong else "")
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
