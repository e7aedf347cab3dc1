"""The dialog of many at once: pictures, recipe and folder, then a row for each picture."""

from __future__ import annotations

import csv
import sys
from pathlib import Path as File
from typing import TYPE_CHECKING

from PySide6.QtCore import QProcess, QSize, Qt, QUrl
from PySide6.QtGui import QDesktopServices, QIcon, QPixmap
from PySide6.QtWidgets import (
    QDialog,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QProgressBar,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
)

from silhueta.app.look.theme import AMBER_DEEP
from silhueta.app.widgets import Note
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.app.window import Window

_HEADS = ("Picture", "State", "Width", "Height", "Loops", "Findings")
_ROW = 52  # px of a row with its picture
_CSV, _PAGE = "report.csv", "report.html"


class ManyDialog(QDialog):
    """Pictures, recipe and folder; then a row for each picture as it is done."""

    def __init__(self, window: Window) -> None:
        super().__init__(window)
        self.setObjectName("many")
        self.setWindowTitle("Many at once")
        self.resize(900, 620)
        self._window = window
        self._process: QProcess | None = None
        self._heard = ""
        self._files = 0
        self.sources, self.recipe, self.folder = (QLineEdit(self) for _ in range(3))
        form = QGridLayout()
        for row, (field, key, words, choose) in enumerate(
            (
                (self.sources, "sources", "Folder of pictures", self._choose_sources),
                (self.recipe, "recipe", "Recipe", self._choose_recipe),
                (self.folder, "folder", "Put what is made into", self._choose_folder),
            )
        ):
            field.setObjectName(f"many-{key}")
            field.setAccessibleName(words)
            button = QPushButton("Choose…", self)
            button.setAccessibleName(f"Choose: {words}")
            button.clicked.connect(lambda _=False, c=choose: c())
            form.addWidget(QLabel(words, self), row, 0)
            form.addWidget(field, row, 1)
            form.addWidget(button, row, 2)
            field.textChanged.connect(lambda _: self._refresh())
        self.begin = QPushButton("Begin", self)
        self.begin.setObjectName("many-begin")
        self.begin.clicked.connect(lambda _=False: self.start())
        self.end = QPushButton("Stop", self)
        self.end.setObjectName("many-stop")
        self.end.clicked.connect(lambda _=False: self.stop())
        self.page = QPushButton("Open the page", self)
        self.page.setObjectName("many-page")
        self.page.clicked.connect(lambda _=False: self._open_page())
        self.bar = QProgressBar(self)
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(8)
        self.note = Note("", self)
        self.rows = QTableWidget(0, len(_HEADS), self)
        self.rows.setObjectName("many-rows")
        self.rows.setAccessibleName("What came of each picture")
        self.rows.setHorizontalHeaderLabels(_HEADS)
        self.rows.verticalHeader().setVisible(False)
        self.rows.verticalHeader().setDefaultSectionSize(_ROW)
        self.rows.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.rows.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        head = self.rows.horizontalHeader()
        head.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        head.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        self.rows.setWordWrap(True)
        self.rows.setIconSize(QSize(_ROW - 8, _ROW - 8))
        self.rows.cellDoubleClicked.connect(lambda row, _: self.open_job(row))
        foot = QHBoxLayout()
        foot.addWidget(self.begin)
        foot.addWidget(self.end)
        foot.addWidget(self.note, 1)
        foot.addWidget(self.page)
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 18, 20, 16)
        column.setSpacing(12)
        column.addLayout(form)
        column.addWidget(self.bar)
        column.addWidget(self.rows, 1)
        column.addLayout(foot)
        self._refresh()

    # what is chosen

    def _choose_sources(self) -> None:
        self._take(self.sources, QFileDialog.getExistingDirectory(self, "Folder of pictures"))

    def _choose_recipe(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, "Recipe", "", "Recipes (*.toml)")
        self._take(self.recipe, chosen)

    def _choose_folder(self) -> None:
        self._take(self.folder, QFileDialog.getExistingDirectory(self, "Folder for what is made"))

    def _take(self, field: QLineEdit, chosen: str) -> None:
        if chosen:
            field.setText(chosen)

    @property
    def busy(self) -> bool:
        """Whether a run is under way."""
        return self._process is not None

    def _refresh(self) -> None:
        missing = [
            words
            for field, words in (
                (self.sources, "a folder of pictures"),
                (self.recipe, "a recipe"),
                (self.folder, "a folder for what is made"),
            )
            if not field.text().strip()
        ]
        why = f"Choose {' and '.join(missing)} first" if missing else ""
        self.begin.setEnabled(not why and not self.busy)
        self.begin.setToolTip(why or ("It is under way" if self.busy else ""))
        if why and not self.rows.rowCount():
            self.note.say(why)
        self.end.setEnabled(self.busy)
        self.end.setToolTip("" if self.busy else "Nothing is under way")
        there = self._folder is not None and (self._folder / _PAGE).is_file()
        self.page.setEnabled(there)
        self.page.setToolTip("" if there else "There is no page yet: begin first")

    @property
    def _folder(self) -> File | None:
        text = self.folder.text().strip()
        return File(text) if text else None

    # a run

    def start(self) -> None:
        """Begin, leaving out what this very recipe has done already."""
        folder = self._folder
        assert folder is not None
        self.rows.setRowCount(0)
        self.note.say("")
        self._heard = ""
        self.bar.setRange(0, 0)
        process = QProcess(self)
        process.setProcessChannelMode(QProcess.ProcessChannelMode.MergedChannels)
        process.readyReadStandardOutput.connect(self._hear)
        process.finished.connect(lambda code, _: self._ended(code))
        self._process = process
        call = "from silhueta.cli import main; main()"
        process.start(
            sys.executable,
            ["-u", "-c", call, "batch", self.sources.text().strip(), "--recipe",
             self.recipe.text().strip(), "-o", str(folder), "--resume",
             "--report", str(folder / _CSV), "--page", str(folder / _PAGE)],
        )  # fmt: skip
        self._refresh()

    def stop(self) -> None:
        """Stop; what is done stays, and is left out the next time."""
        if self._process is not None:
            self._process.terminate()
            if not self._process.waitForFinished(3000):
                self._process.kill()
                self._process.waitForFinished(1000)

    def _hear(self) -> None:
        assert self._process is not None
        data = self._process.readAllStandardOutput().data()
        *lines, self._heard = (self._heard + bytes(data).decode(errors="replace")).split("\n")
        for line in lines:
            told, _, rest = line.partition(" ")
            done, slash, whole = told.partition("/")
            if slash and done.isdigit() and whole.isdigit():
                self.bar.setRange(0, int(whole))
                self.bar.setValue(int(done))
                self.note.say(f"{done} of {whole}")
                name, _, state = rest.rpartition(" done")
                failed = not name
                if failed:
                    name, _, state = rest.partition(" failed: ")
                self._add(name, state if failed else "done", failed)
            elif line.startswith("silhueta: "):
                self.note.say(line.removeprefix("silhueta: "))

    def _add(self, name: str, state: str, failed: bool) -> None:
        row = self.rows.rowCount()
        self.rows.insertRow(row)
        values = (name, f"▲ {state}" if failed else "✓ done", "", "", "", "")
        for column, value in enumerate(values):
            item = QTableWidgetItem(value)
            if failed:
                item.setForeground(AMBER_DEEP)
            if column > 1:
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            self.rows.setItem(row, column, item)
        job = self._job(row)
        if job is not None:
            from silhueta.core.keep.entry import picture_in

            picture = QPixmap()
            if picture.loadFromData(picture_in(job) or b""):
                self._cell(row, 0).setIcon(QIcon(picture))
        self.rows.scrollToBottom()

    def _cell(self, row: int, column: int) -> QTableWidgetItem:
        found = self.rows.item(row, column)
        assert found is not None
        return found

    def _job(self, row: int) -> File | None:
        """Return the job that was kept of a picture."""
        folder = self._folder
        if folder is None:
            return None
        stem = File(self._cell(row, 0).text()).stem
        found = folder / f"{stem}.silhueta"
        return found if found.is_file() else None

    def _ended(self, code: int) -> None:
        process, self._process = self._process, None
        if process is not None:
            process.deleteLater()
        self.bar.setRange(0, 1)
        self.bar.setValue(1 if code in (0, 3) else 0)
        self._show_report()
        failed = sum(self._cell(k, 1).text().startswith("▲") for k in range(self.rows.rowCount()))
        if code in (0, 3):
            told = f"{counted(self.rows.rowCount(), 'picture')} done"
            hand = "needs a hand, a double click opens it"
            hand = hand if failed == 1 else "need a hand, a double click opens them"
            need = f"; {failed} {hand}" if failed else ""
            self.note.say(f"{told}{need}")
        elif not self.note.text():
            self.note.say("It was stopped; Begin goes on from there", fault=True)
        self._refresh()

    def _show_report(self) -> None:
        """Fill in sizes and findings, and what was done before, from the report."""
        folder = self._folder
        try:
            assert folder is not None
            with (folder / _CSV).open(encoding="utf-8", newline="") as stream:
                told = list(csv.DictReader(stream))
        except (OSError, ValueError):
            return
        self.rows.setRowCount(0)
        told.sort(key=lambda one: one.get("state") == "done")  # what needs a hand comes first
        for one in told:
            failed = one.get("state") != "done"
            self._add(one.get("file", ""), one.get("error", "") if failed else "", failed)
            row = self.rows.rowCount() - 1
            for column, key in ((2, "width"), (3, "height")):
                value, sigma = one.get(f"{key}_mm", ""), one.get(f"{key}_sigma_mm", "")
                if value:
                    off = f" ± {2 * float(sigma):.2f}" if sigma else ""
                    self._cell(row, column).setText(f"{float(value):.2f}{off} mm")
            self._cell(row, 4).setText(one.get("loops", ""))
            self._cell(row, 5).setText(one.get("findings", ""))
        self.rows.scrollToTop()

    def open_job(self, row: int) -> None:
        """Open the job of a picture, or the picture itself where none was kept."""
        job = self._job(row)
        source = File(self.sources.text().strip()) / self._cell(row, 0).text()
        self._window.filing.open_file(job or source)
        self._window.activateWindow()

    def _open_page(self) -> None:
        folder = self._folder
        if folder is not None:
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(folder / _PAGE)))
