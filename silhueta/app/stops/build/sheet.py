"""Worksheet of the stop Build."""

from __future__ import annotations

from collections import deque
from collections.abc import Sequence
from pathlib import Path as File
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QRectF, Signal
from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import QWidget

from silhueta.app.edit_queue import EditQueue
from silhueta.app.session import Session
from silhueta.app.stops.build.divide_page import DividePage
from silhueta.app.stops.build.join_page import JoinPage
from silhueta.app.stops.build.letters_page import LettersPage
from silhueta.app.stops.build.page import Edit, Made, made_by
from silhueta.app.stops.build.place_page import PlacePage
from silhueta.app.stops.build.shapes_page import ShapesPage
from silhueta.app.stops.paged import PagedWorksheet
from silhueta.app.table.marked_layer import BedLayer, MirroredLayer
from silhueta.app.table.piece_tool import PieceTool
from silhueta.app.table.preview_layer import PreviewLayer
from silhueta.app.table.table import Table
from silhueta.app.table.tie_tool import TieTool
from silhueta.app.table.tool import Tool
from silhueta.app.tracing import Tracing, measured_ahead
from silhueta.app.widgets import sentence
from silhueta.app.work import Bench
from silhueta.core.build.edits import grouped
from silhueta.core.build.sets import put_together
from silhueta.core.build.tying import Tied, move_tie
from silhueta.core.errors import SilhuetaError
from silhueta.core.geometry.arcs import full_circle
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.geometry.outline import Outline
from silhueta.core.geometry.path import Loop, Path
from silhueta.core.geometry.region.region import cut_away
from silhueta.core.geometry.solids import solids
from silhueta.core.job import Job, is_stale
from silhueta.core.remembered import Remembered
from silhueta.core.tidy.choose import depths
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.core.files.proof import Proof

_KNOWN = 12  # outlines whose ties and sheets stay known, for undo
_MOST_SEEN = 4_000  # segments of an outline, up to which an edit is shown before it is taken


class _Ahead(NamedTuple):
    """What an edit would do: regions that go and come, and all lines that would be new."""

    goes: list[Loop]
    comes: list[Loop]
    lines: list[Path]


class BuildSheet(PagedWorksheet):
    """Words, shapes and plates; pieces joined and grown; the whole divided and laid out."""

    overlays = ("ahead", "mirrored", "beds")
    save_apart = Signal(object)  # (part of the name, outline) each

    def __init__(
        self, session: Session, tracing: Tracing, table: Table, parent: QWidget | None = None
    ) -> None:
        super().__init__(session, table, parent)
        self.tracing = tracing
        self.chosen: list[tuple[int, ...]] = []
        self.clicked: tuple[float, float] | None = None  # where, mm
        self.middle: tuple[float, float] | None = None  # the same, of a round its centre
        self.told = ("", False)  # what came of the last edit, and whether it needs a look
        self.bench = Bench(self)
        self.bench.done.connect(self._show_ahead)
        self.edits = EditQueue(session, "Building", self, lambda made: made.job)
        self.benches = (self.edits.bench,)
        self._made: deque[Made] = deque(maxlen=_KNOWN)
        self.tool = PieceTool(self._choose, self._dragged, self.let_go, lambda: self.keys)
        self.tie_tool = TieTool(self.tool, lambda: self.tied, self._tie_moved)
        self.tools = (self.tool, self.tie_tool)
        self._islands: Remembered[Outline, int] = Remembered(_count_islands)
        self.letters, self.shapes = LettersPage(self), ShapesPage(self)
        self.join, self.place, self.divide = JoinPage(self), PlacePage(self), DividePage(self)
        self.add_pages(
            {
                "letters": "Letters",
                "shapes": "Shapes",
                "join": "Join",
                "place": "Place",
                "divide": "Divide",
            },
            {
                "letters": self.letters,
                "shapes": self.shapes,
                "join": self.join,
                "place": self.place,
                "divide": self.divide,
            },
        )

    def tool_of(self, page: str) -> Tool:
        """Return the tool that chooses and moves pieces; at Join it moves ties as well."""
        return self.tie_tool if page == "join" else self.tool

    @property
    def tied(self) -> Tied | None:
        """What is known of the ties, where the outline is still as they left it."""
        made = self._made_of(self.session.job)
        return None if made is None else made.tied

    def _made_of(self, job: Job) -> Made | None:
        return next((made for made in self._made if made.job.outline is job.outline), None)

    def _tie_moved(self, which: int, at: tuple[float, float]) -> None:
        tied = self.tied
        if tied is None:
            return

        def edit(job: Job) -> Made:
            done = move_tie(tied._replace(job=job), which, at)
            return Made(done.job, tied=done)

        self.do("Tie moved", edit)

    def showEvent(self, event: QShowEvent) -> None:
        """Show solid pieces, without their nodes."""
        self.table.set_filled(True, nodes=False)
        super().showEvent(event)

    def hideEvent(self, event: QHideEvent) -> None:
        """Show lines and nodes again."""
        super().hideEvent(event)
        self.table.set_filled(False)

    # what is chosen

    @property
    def keys(self) -> list[int]:
        """The keys of all that is chosen; none: everything is meant."""
        return [key for keys in self.chosen for key in keys]

    def _choose(self, key: int, at: tuple[float, float]) -> None:
        path = next(c.path for c in self.session.job.outline.contours if c.key == key)
        circle = full_circle(path)
        self.clicked = at
        self.middle = at if circle is None else (float(circle[0][0]), float(circle[0][1]))
        group = grouped(self.session.job, key)
        if group in self.chosen:
            self.chosen.remove(group)
        elif group:
            self.chosen.append(group)
        self.refresh(self.session.job)
        self.table.update()

    def let_go(self) -> None:
        """Choose nothing."""
        self.chosen = []
        self.refresh(self.session.job)

    def _dragged(self, x: float, y: float) -> None:
        from silhueta.core.build.edits import move

        keys = self.keys
        self.do("Moved", lambda job: move(job, keys, x, y))

    # what is done

    def do(self, label: str, edit: Edit) -> None:
        """Run an edit beside the interface, and take it as one step, after those before it."""
        self.tell("")
        self.bench.stop()
        self.table.set_overlay("ahead", None)
        self.edits.do(
            label,
            lambda job, _: _built(job, edit),
            before=self._take_made,
            done=lambda made: self._bring_into_view(made.job),
            failed=lambda error: self.tell(sentence(str(error))),
        )

    def look(self, edit: Edit | None) -> None:
        """Show what an edit would do; None: nothing any more."""
        job = self.session.job
        self.table.set_overlay("ahead", None)
        segments = sum(len(c.path.kinds) for c in job.outline.contours)
        if edit is None or self.edits.bench.busy or segments > _MOST_SEEN:
            return
        self.bench.ask("Looking ahead", lambda _: _ahead(job, edit), job)

    def _show_ahead(self, found: object, asked: object) -> None:
        if isinstance(found, _Ahead) and asked is self.session.job:
            self.table.set_overlay("ahead", PreviewLayer(*found))

    def _take_made(self, found: Made) -> None:
        """Keep what an edit tells besides the job, right before the job is shown."""
        self.told = (found.told, found.wrong)
        if found.tied is not None or found.beds:
            self._made.appendleft(found)

    def _bring_into_view(self, job: Job) -> None:
        if not job.outline.taken:
            return
        left, bottom, right, top = job.outline.bounds
        box = QRectF(left, bottom, right - left, top - bottom)
        if not self.table.view.shown().normalized().contains(box):
            self.table.fit()

    def show_saved(self, proofs: Sequence[Proof]) -> None:
        """Tell which files were written, each of them read back."""
        first, last = File(proofs[0].file).name, File(proofs[-1].file).name
        which = first if len(proofs) == 1 else f"{first} to {last}"
        self.told = (f"{counted(len(proofs), 'file')} saved and read back: {which}.", False)
        self.refresh(self.session.job)

    # what is shown

    def refresh(self, job: Job) -> None:
        """Show the present page, and what would fall out."""
        known = {contour.key for contour in job.outline.contours}
        self.chosen = [group for group in self.chosen if set(group) <= known]
        self.shown.refresh(job)
        if not job.outline.taken:
            self.say_result("Nothing is here yet: set words or a shape, or trace a picture.")
            self.way_on("there is no outline yet")
            return
        self._mark_mirrored(job)
        made = self._made_of(job)
        beds = (
            BedLayer(made.beds, self.session.units)
            if made and made.beds and self.isVisible()
            else None
        )
        self.table.set_overlay("beds", beds)
        left, bottom, right, top = job.outline.bounds
        loose = self.islands(job)
        text = f"{right - left:,.1f} × {top - bottom:,.1f} mm."
        if _mirrored(job):
            text += " ⇆ marks what is mirrored."
        if loose:
            text += f"\n▲ {counted(loose, 'island')} would fall out: tie them at Join."
        self.say_result(text)
        self.way_on("the trace is not done yet" if is_stale(job) else "")

    def _mark_mirrored(self, job: Job) -> None:
        """Mark on the table what is mirrored."""
        outer = [s.outer for s in solids(_mirrored(job))] if self.isVisible() else []
        layer = MirroredLayer([bounding_box([loop]) for loop in outer]) if outer else None
        self.table.set_overlay("mirrored", layer)

    def islands(self, job: Job) -> int:
        """Return how many pieces would fall out."""
        return self._islands(job.outline)


def _built(job: Job, edit: Edit) -> Made:
    """Return what an edit makes of a job, and all that the interface will ask of it worked out."""
    made = made_by(edit, job)
    measured_ahead(made.job.outline)
    return made


def _mirrored(job: Job) -> list[Loop]:
    return [
        c.path for c in job.outline.contours if c.cut and c.mirrored and isinstance(c.path, Loop)
    ]


def _count_islands(outline: Outline) -> int:
    around = depths(outline).tolist()
    return sum(
        c.cut and c.path.closed and deep >= 2 and deep % 2 == 0
        for c, deep in zip(outline.contours, around, strict=True)
    )


def _ahead(job: Job, edit: Edit) -> _Ahead:
    """Return what an edit would do; nothing where it cannot be done."""
    try:
        after = made_by(edit, job).job
    except SilhuetaError:
        return _Ahead([], [], [])
    before, now = _covered(job), _covered(after)
    old = {id(path) for path in job.outline.taken}
    lines = [path for path in after.outline.taken if id(path) not in old]
    return _Ahead(
        cut_away(before, now, "nonzero") if before else [],
        cut_away(now, before, "nonzero") if now else [],
        lines,
    )


def _covered(job: Job) -> list[Loop]:
    """Return what the pieces of a job cover together, where they overlap as well."""
    groups = [[solid.outer, *solid.holes] for solid in solids(job.outline.loops)]
    return put_together("union", groups) if groups else []
