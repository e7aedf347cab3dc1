"""What the window does with the shelf: shows it, opens from it, lays in, adds to it."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path as File
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QDialog, QFileDialog

from silhueta.app.opened import Opened, open_file
from silhueta.app.work import Bench
from silhueta.core.errors import SilhuetaError, reason_of
from silhueta.core.job import Job
from silhueta.core.wording import counted
from silhueta.core.work import Work

if TYPE_CHECKING:
    from silhueta.app.shelf import ShelfDialog
    from silhueta.app.window import Window
    from silhueta.core.keep.entry import Entry
    from silhueta.core.keep.places import Places
    from silhueta.core.keep.shelf import Shelf


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
        from silhueta.app.shelf import ShelfDialog

        self.dialog = ShelfDialog(self, self._window)
        self.dialog.open()
        self.look()

    def look(self) -> None:
        """Look into the folder beside the interface."""
        kept = self.shelf()
        self.bench.ask("Looking at the shelf", lambda work: _Looked(kept.look(work).wrong))

    def keep(self) -> None:
        """Ask what is to be said of the present job, and put it on the shelf."""
        from silhueta.app.card_dialog import CardDialog
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
            self._window.say(f"cannot make the shelf {folder}: {reason_of(error)}")
            return
        if file is None or file.parent.resolve() != folder.resolve():
            file = free_name(folder / f"{file_name(name)}{SUFFIX}")
        self._window.filing.saving.save_to(file)

    def open(self, entry: Entry, *, copy: bool) -> None:
        """Open a job of the shelf as itself, or as a copy that is saved elsewhere."""
        kept = self.shelf()

        def opened(work: Work) -> object:
            found = open_file(kept.folder / entry.file, work)
            kept.opened(entry.file)
            assert isinstance(found, Opened)
            return replace(found, file=None) if copy else found

        self._window.filing.bench.ask("Opening", opened)

    def lay_in(self, entry: Entry) -> None:
        """Lay a job's outline into the present one."""
        kept = self.shelf()

        def read(_: object) -> _Opening:
            from silhueta.core.files.job_file import load_job

            found = load_job(kept.folder / entry.file)
            kept.opened(entry.file)
            return _Opening(found, entry.name)

        self.bench.ask("Reading", read)

    def take_in(self) -> None:
        """Ask for job files or an exported shelf, and copy them onto this one."""
        chosen, _ = QFileDialog.getOpenFileNames(
            self.dialog, "Put onto the shelf", str(File.home()), "Jobs (*.silhueta *.zip)"
        )
        kept = self.shelf()

        def added(work: Work) -> _Looked:
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
