"""Opening and saving: dialogs, the work beside the interface, and what is said when it fails."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path as File
from typing import TYPE_CHECKING, NamedTuple, cast

from PySide6.QtCore import QBuffer, QIODevice, QMimeData, QObject, Signal
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QFileDialog, QMessageBox

from silhueta.app.opened import LaidOut, Opened, lay_out, open_file, open_job, open_picture
from silhueta.app.planning import plan_of
from silhueta.app.saving import JOB_SUFFIX, Saving
from silhueta.app.work import Bench, Queue
from silhueta.app.writes import (
    Apart,
    LiesOn,
    SavedAll,
    exported,
    exported_apart,
    saved_all,
    wrote_gauge,
    wrote_setup,
)
from silhueta.core.datum.fixing import present_mm_per_px, true_size
from silhueta.core.job import Job, PictureFile
from silhueta.core.picture.formats import FORMATS, PAGES, SUFFIXES
from silhueta.core.work import Work

if TYPE_CHECKING:
    from silhueta.app.window import Window
    from silhueta.core.files.drawing_open import DrawingOffer
    from silhueta.core.files.format import Format
    from silhueta.core.files.save_all import Output
    from silhueta.core.keep.history import History

_NAMED = 4  # files that a question names


class Filing(QObject):
    """What the window does with files."""

    kept = Signal(object)  # a file besides cut files that was written
    kept_all = Signal(object)  # several files (SavedAll)
    exported = Signal(object, object)  # job, proof of the file
    exported_apart = Signal(object)  # proofs of several files

    def __init__(self, window: Window, locks: File | None = None) -> None:
        super().__init__(window)
        self._window = window
        self.saving = Saving(window, self, locks)
        self._own: set[File] = set()  # what was written under names that nobody was asked about
        self.bench = Bench(self)
        self.bench.done.connect(self._on_done)
        self.bench.failed.connect(window.say)
        self.writing = Queue(self)  # what is saved must be, whatever is opened meanwhile
        self.writing.done.connect(self._on_done)
        self.writing.failed.connect(window.say)

    # open

    def open(self) -> None:
        """Ask for a file and open it."""
        pictures = " ".join(f"*{suffix} *{suffix.upper()}" for suffix in SUFFIXES)
        kinds = [
            f"Pictures, outlines and jobs ({pictures} *.dxf *.DXF *{JOB_SUFFIX})",
            f"Jobs (*{JOB_SUFFIX})",
            "Outlines (*.svg *.SVG *.dxf *.DXF)",
        ]
        kinds += [
            f"{name} (" + " ".join(f"*{s}" for s in suffixes) + ")"
            for name, suffixes in (FORMATS | PAGES).items()
        ]
        chosen, _ = QFileDialog.getOpenFileName(
            self._window,
            "Open a picture or a job",
            str(self._folder()),
            ";;".join([*kinds, "All files (*)"]),
        )
        if chosen:
            self.open_file(File(chosen))

    def open_file(self, source: File) -> None:
        """Open `source`, a picture or a job, in place of the present job."""
        self.bench.ask("Opening", lambda work: open_file(source, work))

    def _choose(self, offer: DrawingOffer) -> None:
        """Ask what of a drawing is wanted, and lay it out so."""
        from silhueta.app.drawing_questions import wanted

        want = wanted(self._window, offer)
        if want is None:
            return
        if want.picture:
            self.bench.ask("Opening", lambda _: open_picture(offer.file))
        else:
            self.bench.ask("Opening", lambda _: lay_out(offer, want))

    def _place(self, laid: LaidOut) -> None:
        """Show the outlines of a drawing, or ask for all its lines where some are hidden."""
        job, hidden = laid.opening
        if hidden:
            from silhueta.app.drawing_questions import all_lines

            lines = all_lines(self._window, laid.offer, hidden)
            if lines is None:
                return
            if lines:
                want = replace(laid.want, overlaps="lines")
                self.bench.ask("Opening", lambda _: lay_out(laid.offer, want))
                return
        self.show(Opened(job, None, None))
        told = laid.offer.told()
        if told:
            self._window.say(told)

    def paste(self) -> None:
        """Open the picture on the clipboard, or the file it names, in place of the present job."""
        clipboard = QGuiApplication.clipboard()
        held: QMimeData | None = clipboard.mimeData()  # None when nothing was ever copied
        urls = [] if held is None else held.urls()
        files = [url.toLocalFile() for url in urls if url.isLocalFile()]
        if files:
            self.open_file(File(files[0]))
            return
        image = clipboard.image()
        if image.isNull():
            self._window.say("There is no picture on the clipboard. Copy one, then paste it here.")
            return
        store = QBuffer()
        store.open(QIODevice.OpenModeFlag.WriteOnly)
        image.save(store, "PNG")  # type: ignore[call-overload]
        data = bytes(store.data().data())
        self.bench.ask("Opening", lambda _: open_picture(PictureFile(data, "pasted.png")))

    def reopen(self, page: int, dpi: float | None) -> None:
        """Open the present picture's file at another page, or drawn at another dpi."""
        file = self._window.session.job.picture
        if file is not None:
            other = replace(
                file, page=file.page if page < 0 else page, dpi=file.dpi if dpi is None else dpi
            )
            self.bench.ask("Opening", lambda _: open_picture(other))

    def open_demo(self, which: str = "gasket") -> None:
        """Open a demo job, gasket, strap, cover, heron or emblem, in place of the present one."""
        self.bench.ask("Opening", lambda work: _opened_demo(which, work))

    def practise(self) -> None:
        """Make up a photo of the present part, or of a plate, and open it in its place."""
        job = self._window.session.job
        self.bench.ask("Making up a photo", lambda work: _practised(job, work), "practise")

    def show(self, opened: Opened, history: History | None = None) -> None:
        """Put what was opened on the table, in place of the present job; `history`: as it was left.

        What is not saved is asked about only now: it may have been edited while the file was read.
        """
        window = self._window
        if not window.may_leave():
            return
        window.notice.hide()
        window.tracing.set_picture(opened.picture, opened.colours)
        window.table.stop_pick()
        if history is not None:
            window.session.bring_back(history)
        else:
            window.session.start(opened.job, opened.file)
            window.session.marks = dict(opened.marks)
        if opened.file is not None and not self.saving.opened(opened.file):
            window.session.file = None  # what is saved is another file
            window.say(f"“{opened.file.name}” is open in another window; this is a copy of it")
        elif opened.file is None:
            self.saving.opened(None)
        if opened.file is not None:
            window.remembered.add_recent(opened.file)
        window.table.set_picture(opened.picture, opened.colours)
        job = opened.job
        imported = job.picture is None and bool(job.outline.contours)
        if imported:
            window.go("tidy")
        else:
            window.go("trace" if job.datums else "scale" if job.picture else "picture")

    # cut files and what goes with them

    def export(self, form: Format) -> None:
        """Ask where, and write a cut file of this format there."""
        window = self._window
        job = window.session.job
        target = self.ask_target(f"Save {form.title}", job.name, form.suffix, f"{form.title} files")
        if target is None:
            return
        on, made = self.lies_on(), plan_of(job)
        if form.key == "nc" and made is not None:
            from silhueta.core.files.save_all import programs

            files = programs(job, made.plan, target, on.frame)
            if len(files) > 1:  # one for each tool, under names that nobody was asked about
                self._save_several(files, target.parent)
                return
        self.writing.ask("Writing", lambda _: exported(job, on, target), (job, target))

    def _save_several(self, files: list[Output], folder: File) -> None:
        there = [one.target for one in files if one.target.exists()]
        if not there or self._may_replace(there):
            self.writing.ask("Writing", lambda work: saved_all(files, folder, work))

    def lies_on(self) -> LiesOn:
        """Return what the outline lies on, as large as it is."""
        window = self._window
        job, picture, flat = window.session.job, window.tracing.picture, window.tracing.flat
        if picture is None:  # an imported outline: its own box is its frame
            from silhueta.core.geometry.measure import bounding_box

            box = bounding_box(job.outline.taken)
            return LiesOn((box[2] - min(box[0], 0.0), box[3] - min(box[1], 0.0)))
        size = present_mm_per_px(job) if flat is None else flat.scale.mm_per_px
        shown = picture if flat is None else flat.picture
        return LiesOn((shown.width * size, shown.height * size), shown, size)

    def save_all(self) -> None:
        """Ask for a folder, and write all there that the job leads to."""
        from silhueta.core.files.save_all import outputs

        job, made, on = self._window.session.job, plan_of(self._window.session.job), self.lies_on()
        chosen = QFileDialog.getExistingDirectory(
            self._window, "Save all into a folder", str(self._folder())
        )
        if not chosen:
            return
        self._save_several(outputs(job, made, File(chosen), *on), File(chosen))

    def export_apart(self, found: Apart | Callable[[], Apart]) -> None:
        """Ask for a name, and write outlines to a file each: the name and what tells them apart."""
        from silhueta.core.files.formats import FORMATS as CUT_FILES
        from silhueta.core.files.formats import format_named

        job = self._window.session.job
        form = format_named(job.cut_file.format)
        form = form if form in CUT_FILES else CUT_FILES[0]  # pieces are outlines, no programs
        endings = [one.suffix for one in CUT_FILES]
        target = self.ask_target("Save each piece", job.name, form.suffix, "Cut files", endings)
        if target is not None:
            self.writing.ask(
                "Writing",
                lambda _: exported_apart(
                    job, found() if callable(found) else found, target, self._own
                ),
                (job, target),
            )

    def save_gauge(self, name: str) -> None:
        """Ask where, and write a gauge sheet there."""
        title, proposal = "Save the gauge sheet", f"gauge_sheet_{name}"
        target = self.ask_target(title, proposal, ".pdf", "PDF files")
        if target is not None:
            self.writing.ask("Writing", lambda _: wrote_gauge(name, target))

    def save_setup(self) -> None:
        """Ask where, and write the set-up list of the cut plan there."""
        job = self._window.session.job
        name = f"{job.name}-setup"
        target = self.ask_target("Save the set-up list", name, ".pdf", "Set-up lists", [".txt"])
        if target is not None:
            self.writing.ask("Writing", lambda _: wrote_setup(job, target))

    # what came of it

    def _on_done(self, result: object, asked: object) -> None:
        window = self._window
        if isinstance(result, Opened):
            self.show(result)
        elif isinstance(result, _Practised):
            self.show(result.opened)
            if self._window.session.job is result.opened.job:  # else the old one was kept
                self._window.say(result.told)
        elif isinstance(result, SavedAll):
            self.kept_all.emit(result)
        elif isinstance(result, File):
            self.kept.emit(result)
        elif isinstance(result, LaidOut):
            self._place(result)
        elif hasattr(result, "drawing"):
            self._choose(cast("DrawingOffer", result))
        elif isinstance(asked, tuple):
            job = asked[0]
            window.notice.hide()
            if isinstance(result, list):
                self.exported_apart.emit(result)
            elif result is not None:
                window.go("cut_file")
                self.exported.emit(job, result)

    def _folder(self) -> File:
        file = self._window.session.file
        return file.parent if file is not None else File.home()

    def ask_target(
        self, title: str, name: str, suffix: str, kind: str, others: Sequence[str] = ()
    ) -> File | None:
        """Ask for a file; one that ends in none of the suffixes gets the first."""
        known = dict.fromkeys((suffix, *others))
        from silhueta.core.files.save_all import stem_of

        proposal = self._folder() / (stem_of(name) + suffix)
        chosen, _ = QFileDialog.getSaveFileName(
            self._window, title, str(proposal), f"{kind} ({' '.join(f'*{end}' for end in known)})"
        )
        if not chosen:
            return None
        target = File(chosen)
        if target.suffix.lower() in known:
            return target
        target = target.with_name(target.name + suffix)
        return target if not target.exists() or self._may_replace([target]) else None

    def _may_replace(self, targets: Sequence[File]) -> bool:
        """Ask whether files may be replaced, whose names the dialog did not know."""
        box = QMessageBox(self._window)
        box.setObjectName("replace-choice")
        box.setWindowTitle("Silhueta")
        names = ", ".join(one.name for one in targets[:_NAMED])
        more = f" and {len(targets) - _NAMED} more" if len(targets) > _NAMED else ""
        several = len(targets) > 1
        box.setText(f"{names}{more} {'exist' if several else 'exists'} already.")
        them = "them" if several else "it"
        replace_it = box.addButton(f"Replace {them}", QMessageBox.ButtonRole.AcceptRole)
        box.addButton(f"Leave {them}", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        return box.clickedButton() is replace_it


class _Practised(NamedTuple):
    """A made-up photo, opened, and what it shows, in words."""

    opened: Opened
    told: str


def _practised(job: Job, work: Work) -> _Practised:
    from silhueta.core.practise.render import photo_of
    from silhueta.core.practise.scene import new_seed, plate_of, scene_of
    from silhueta.core.rehearsal.bench_of import parts_of

    seed = new_seed()
    with work.stage("photo"):
        parts = list(parts_of(job, (0.0, 0.0))) if true_size(job) else []
        scene = scene_of(parts or plate_of(seed), seed)
        data = photo_of(scene)
    with work.stage("read"):
        opened = open_picture(PictureFile(data, f"practise_{seed}.jpg"))
    return _Practised(opened, f"Made up: {scene.told()}.")


def _opened_demo(which: str, work: Work) -> Opened:
    from silhueta.demo.drawings import emblem_job, heron_job
    from silhueta.demo.gasket import gasket_job
    from silhueta.demo.photos import cover_job, strap_job

    make = {
        "gasket": gasket_job,
        "strap": strap_job,
        "cover": cover_job,
        "heron": heron_job,
        "emblem": emblem_job,
    }[which]
    with work.stage("read"):
        return open_job(make(), None)
