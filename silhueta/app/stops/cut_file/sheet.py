"""Worksheet of the stop Cut file."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path as File
from typing import Any

from PySide6.QtCore import QPointF, QRectF, Signal
from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import QWidget

from silhueta.app.inspecting import Inspecting
from silhueta.app.planning import Planned, Planning, can_plan, clock, plan_of, program_of
from silhueta.app.rehearsing import Rehearsing
from silhueta.app.session import Session
from silhueta.app.states import why_no_cut_file
from silhueta.app.stops.cut_file.entry_card import EntryCard
from silhueta.app.stops.cut_file.entry_words import name_of, size_of
from silhueta.app.stops.cut_file.file_page import FilePage
from silhueta.app.stops.cut_file.plan_layer import PlanLayer
from silhueta.app.stops.cut_file.plan_page import PlanPage
from silhueta.app.stops.cut_file.plan_tool import PlanTool
from silhueta.app.stops.cut_file.player import Player
from silhueta.app.stops.cut_file.program_text import MoveLayer
from silhueta.app.stops.cut_file.rehearsal_page import RehearsalPage
from silhueta.app.stops.cut_file.tools_page import ToolsPage
from silhueta.app.stops.inspect.layers import SheetLayer
from silhueta.app.stops.near import bring_near
from silhueta.app.stops.paged import PagedWorksheet
from silhueta.app.table.table import Table
from silhueta.app.table.tool import Tool
from silhueta.app.tracing import Tracing
from silhueta.app.widgets import sentence
from silhueta.app.work import Bench
from silhueta.app.writes import SavedAll
from silhueta.core.cutting.edits import moved_to, set_by_hand, set_operation
from silhueta.core.cutting.plan import Entry, Plan
from silhueta.core.cutting.timing import Times
from silhueta.core.errors import SilhuetaError
from silhueta.core.files.format import Format
from silhueta.core.files.formats import SHOWN, format_named, format_of
from silhueta.core.files.nc import NC
from silhueta.core.files.proof import Proof
from silhueta.core.geometry.measure import bounding_box, box_of
from silhueta.core.geometry.path import Floats
from silhueta.core.inspection.limits import limits_of, sheet_box
from silhueta.core.job import Job
from silhueta.core.plan_settings import ByHand
from silhueta.core.units import format_length
from silhueta.core.wording import counted

_PAGES = {"plan": "Plan", "tools": "Tools", "file": "File", "rehearsal": "Rehearsal"}
CUT_FILE_ASKS = "What does the machine's program read?"
_QUESTIONS = {"rehearsal": "Does it run as it was meant?"}
_NOTICED = 0.5  # s: a change of the time that is told
_OF_HAND = tuple(name for name in ByHand.__dataclass_fields__ if name != "key")


class CutFileSheet(PagedWorksheet):
    """How it is cut, with which tools, and the file; then save it and see the proof."""

    overlays = ("sheet", "plan", "move")
    save = Signal(object)  # a format
    save_setup = Signal()
    save_all = Signal()
    watched = Signal(object)  # what is seen of a rehearsal (RehearsalLayer), None: nothing
    timed = Signal(object)  # what the plan comes to (Times), None: there is none

    def __init__(
        self,
        session: Session,
        tracing: Tracing,
        inspecting: Inspecting,
        planning: Planning,
        rehearsing: Rehearsing,
        table: Table,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(session, table, parent)
        self._tracing, self.planning, self.rehearsing = tracing, planning, rehearsing
        self._proof: tuple[Job, Proof] | None = None
        self.chosen: frozenset[int] = frozenset()  # keys of contours
        # the job that was timed last, its time, its outline; the time before that
        self._timed: tuple[Job, float, object] | None = None
        self._before: float | None = None
        self._layer: PlanLayer | None = None
        self._on_line: MoveLayer | None = None
        self.card = EntryCard(table)
        self.tool = PlanTool(self._plan, self._hand_chose, self._begin_at, self._tabs_at)
        self.tools = (self.tool,)
        self.plan_page = PlanPage(session, self)
        self.tools_page = ToolsPage(session, self)
        self.file_page = FilePage(session, tracing, self)
        self.file_page.setup_asked.connect(self.save_setup)
        self.file_page.all_asked.connect(self.save_all)
        self.file_page.moved_to.connect(self._show_move)
        self.player = Player(self)
        self.rehearsal_page = RehearsalPage(rehearsing, table, self.player, self)
        self.rehearsal_page.moved.connect(self.watched)
        table.cursor_moved.connect(self._look_down)
        for page in (self.plan_page, self.tools_page):
            page.wrong.connect(self.tell)
        self.plan_page.chosen.connect(self._list_chose)
        self.plan_page.moved.connect(self._move)
        self.card.operation.connect(self._operate)
        self.card.changed.connect(lambda changes: self._set_by_hand(**changes))
        self.card.again.connect(lambda: self._set_by_hand(**dict.fromkeys(_OF_HAND)))
        self.card.closed.connect(lambda: self._choose(frozenset()))
        inspecting.changed.connect(self.renew)
        planning.changed.connect(self.renew)
        rehearsing.changed.connect(self.renew)
        tracing.changed.connect(self.renew)
        session.units_changed.connect(self.renew)
        self._turned = False  # whether a person chose the page
        self.add_pages(
            _PAGES,
            {
                "plan": self.plan_page,
                "tools": self.tools_page,
                "file": self.file_page,
                "rehearsal": self.rehearsal_page,
            },
        )
        self.page.chosen.connect(self._turn)

    def _turn(self, _: str) -> None:
        self._turned = True

    @property
    def benches(self) -> list[Bench]:
        """The work beside the interface that is the worksheet's own."""
        return [self.rehearsing.bench]

    def go_on(self) -> None:
        """Save the file: the route ends here."""
        if self.present == "rehearsal":
            self.save_all.emit()
        else:
            self.save.emit(self._form)

    def tool_of(self, page: str) -> Tool | None:
        """Return the hand's tool: on the plan wherever it is shown."""
        return None if page == "rehearsal" else self.tool

    def _look_down(self, at: QPointF | None) -> None:
        layer = self.rehearsal_page.layer
        if self.present == "rehearsal" and self.isVisible() and layer is not None:
            depth = None if at is None else layer.depth_at(at.x(), at.y())
            self.rehearsal_page.say_depth(depth)

    def showEvent(self, event: QShowEvent) -> None:
        """Show the part without its nodes: what counts is where tools go."""
        self.table.set_filled(True, nodes=False, letters=False)
        if not self._turned:  # without a process there is no plan to look at
            self.show_page("file" if self.session.job.inspect.process is None else "plan")
        super().showEvent(event)
        bring_near(self.table, self.session.job)

    def hideEvent(self, event: QHideEvent) -> None:
        """Give the table back."""
        super().hideEvent(event)
        self.table.set_filled(False)
        self.card.put_away()
        self._stop_watching()
        self.timed.emit(None)

    def _stop_watching(self) -> None:
        """Put the rehearsal away: what is on the table is the plan again."""
        self.player.pause()
        self.player.hide()
        self.table.set_cover(None)
        self.watched.emit(None)

    @property
    def _form(self) -> Format:
        return format_named(self.session.job.cut_file.format)

    def _made(self) -> Planned | None:
        return plan_of(self.session.job)

    def _plan(self) -> Plan | None:
        made = self._made()
        return None if made is None else made.plan

    # what is done

    def _apply(self, label: str, edit: Callable[[Job], Job]) -> None:
        self.tell("")
        try:
            self.session.apply(label, edit)
        except SilhuetaError as error:
            self.tell(sentence(str(error)))

    def _choose(self, keys: frozenset[int]) -> None:
        self.chosen = keys
        self.renew()

    def _hand_chose(self, place: int | None, more: bool) -> None:
        plan = self._plan()
        if place is None or plan is None:
            self._choose(frozenset())
            return
        keys = frozenset(plan.entries[place].keys)
        if more:
            keys = self.chosen - keys if keys <= self.chosen else self.chosen | keys
        self._choose(keys)

    def _list_chose(self, place: int) -> None:
        plan = self._plan()
        if plan is not None:
            every = plan.listed
            self._choose(frozenset(every[place] if place < len(every) else ()))

    def _move(self, place: int, to: int) -> None:
        plan = self._plan()
        if plan is None or place >= len(plan.entries):
            return
        keys = [one.key for one in plan.entries]
        key = keys[place]
        self.chosen = frozenset(plan.entries[place].keys)
        self._apply("Order", lambda job: moved_to(job, keys, key, to))

    def _operate(self, operation: str) -> None:
        keys = tuple(sorted(self.chosen))
        self._apply(
            "Operation",
            lambda job: set_operation(job, keys, operation),  # type: ignore[arg-type]
        )

    def _set_by_hand(self, **changes: Any) -> None:
        keys = tuple(sorted(self.chosen))
        self._apply("Set by hand", lambda job: set_by_hand(job, keys, **changes))

    def _begin_at(self, key: int, place: tuple[float, float]) -> None:
        self._apply("Where it begins", partial(set_by_hand, keys=(key,), start=place))

    def _tabs_at(self, key: int, tabs: tuple[tuple[float, float], ...]) -> None:
        self._apply("Tabs", partial(set_by_hand, keys=(key,), tabs=tabs))

    def show_kept(self, file: File) -> None:
        """Say that another file was written."""
        self.say_result(f"Saved {file.name}.")

    def show_all(self, saved: SavedAll) -> None:
        """Say what became of several files."""
        self.file_page.show_all(saved.kept)
        good = sum(not one.fault for one in saved.kept)
        words = f"Saved {counted(good, 'file')} into {saved.folder.name or saved.folder}."
        left = len(saved.kept) - good
        if left:
            words += f" {counted(left, 'file')} could not be: see the list."
        programs = [one for one in saved.kept if one.name.endswith(".nc") and not one.fault]
        if programs:
            files = [saved.folder / one.name for one in programs]
            self.rehearsing.keep_saved(self.session.job, files)
        self.say_result(words, bool(left))

    def show_proof(self, job: Job, proof: Proof) -> None:
        """Show what reading the written file back gave."""
        self._proof = (job, proof)
        if format_of(File(proof.file)) not in SHOWN:
            self.rehearsing.keep_saved(job, [File(proof.file)])
        self.refresh(self.session.job)

    # what is shown

    def refresh(self, job: Job) -> None:
        """Show the present page, and the plan on the table."""
        self.planning.ask(job)
        made = plan_of(job)
        self.shown.refresh(job)
        if self.present == "plan":
            self.plan_page.show_plan(job, made, self.chosen)
        elif self.present == "tools":
            self.tools_page.show_plan(made)
        elif made is not None and self._form is NC:
            self.planning.ask_program(job)
        self._show_program(job)
        self.timed.emit(None if made is None else made.times)
        self._paint(job, made)
        self.ask(_QUESTIONS.get(self.present, CUT_FILE_ASKS))
        if self.present == "rehearsal":
            self._show_rehearsal(job)
            return
        self._stop_watching()
        reason = why_no_cut_file(job, self._tracing.failure) or self._why_no_plan(job)
        what = "cut plan as " if job.cut_file.holds == "plan" else ""
        if not what and job.inspect.process is not None:
            what = "outline as "
        if self._form in SHOWN:
            what = "the "
        self.set_next(f"Save {what}{self._form.title}…", reason)
        if reason:
            self.say_result(f"Not yet: {reason}.", True)
        elif self.present == "file" or (self._proof is not None and self._is_saved(job)):
            self._show_saved(job)
        else:
            self._say_plan(job, made)

    def _show_rehearsal(self, job: Job) -> None:
        """Show what is run, and in a sentence whether it cuts what was meant."""
        page = self.rehearsal_page
        self.player.setVisible(page.layer is not None)
        page.show_layer()
        page.tell_readout()
        reason = why_no_cut_file(job, self._tracing.failure) or self._why_no_plan(job)
        self.set_next("Save all: program, proof, list…", reason)
        text, fault = page.sentence()
        self.say_result(text, fault)

    def _show_program(self, job: Job) -> None:
        """Show the program's text on the page File, or why there is none."""
        shown = program_of(job)
        why = self._why_no_plan(job) if self._form is NC else ""
        if isinstance(shown, str):
            why, shown = sentence(shown), None
        self.file_page.show_program(shown, why)
        if self.present != "file" or self._form is not NC or shown is None:
            self._show_move(None)

    def _show_move(self, points: Floats | None) -> None:
        self._on_line = None if points is None else MoveLayer(points)
        self.table.set_overlay("move", self._on_line)

    def _why_no_plan(self, job: Job) -> str:
        if job.cut_file.holds != "plan" or self._form in SHOWN:
            return ""
        if job.inspect.process is None:
            return "the plan waits for the process; choose it at Plan"
        return self.planning.failure(job)

    def _is_saved(self, job: Job) -> bool:
        assert self._proof is not None
        saved = self._proof[0]
        return saved.outline is job.outline and saved.plan == job.plan

    def _say_plan(self, job: Job, made: Planned | None) -> None:
        failure = self.planning.failure(job)
        if job.inspect.process is None:
            self.say_result("Say how it is cut, and it is planned. The outline can be saved now.")
        elif failure:
            self.say_result(sentence(failure), True)
        elif made is None:
            self.say_result("Planning…")
        else:
            plan, times = made
            told = [counted(len(plan.entries), "cut"), counted(times.pierces, "pierce")]
            tabs = sum(one.tabs for one in plan.entries)
            if tabs:
                told.append(counted(tabs, "tab"))
            told.append(f"{clock(times.seconds)} on {plan.machine.name}{self._since(job, times)}")
            left = len(plan.left_out)
            words = sentence(", ".join(told))
            if left:
                words += f" {counted(left, 'contour')} left out: see above."
            self.say_result(words, bool(left))

    def _since(self, job: Job, times: Times) -> str:
        """Return how much shorter or longer it takes than before the last change, in words."""
        if self._timed is not None and self._timed[0] is not job:
            self._before = self._timed[1] if self._timed[2] is job.outline else None
        if self._timed is None or self._timed[0] is not job:
            self._timed = (job, times.seconds, job.outline)
        more = 0.0 if self._before is None else times.seconds - self._before
        if abs(more) < _NOTICED:
            return ""
        return f", {clock(abs(more))} {'longer' if more > 0 else 'shorter'} than before"

    def _show_saved(self, job: Job) -> None:
        if self._proof is None:
            self.say_result("Every file is read back and compared before it is kept.")
            return
        saved_job, proof = self._proof
        got, unit = proof.figures, "mm" if proof.units == "mm" else "in"
        width, height = (format_length(v, "mm" if unit == "mm" else "in") for v in got.size_mm)
        same = saved_job.outline is job.outline and saved_job.cut_file == job.cut_file
        same = same and (saved_job.plan == job.plan or job.cut_file.holds == "outline")
        now = "" if same else "\nThe job has changed since: save again."
        self.say_result(
            f"Saved {File(proof.file).name} and read back: {width} × {height}, "
            f"{counted(got.outer_loops + got.holes, 'loop')} closed, {got.open_paths} open.{now}",
            fault=not same,
        )

    def _paint(self, job: Job, made: Planned | None) -> None:
        if not self.isVisible():
            return
        limits, units = limits_of(job), self.session.units
        box = sheet_box(limits) if can_plan(job) else None
        sheet = None if box is None else SheetLayer(box, limits.margin or 0.0, units)
        layer = None if made is None else self._layer_of(made.plan)
        for name, one in zip(self.overlays, (sheet, layer, self._on_line), strict=True):
            self.table.set_overlay(name, None)  # so that they are painted in this order
            self.table.set_overlay(name, one)
        entry = None
        if made is not None and self.present == "plan":
            entry = self._first_chosen(made.plan)
        if entry is None or made is None:
            self._show_left_out(job, made)
            return
        place = made.plan.entries.index(entry)
        contour = next((c for c in job.outline.contours if c.key == entry.key), None)
        if contour is None:
            self.card.put_away()
            return
        head = f"{place + 1}. {name_of(entry)}, {size_of(contour, units)}"
        several = len([one for one in made.plan.entries if self.chosen.intersection(one.keys)])
        if several > 1:
            head = f"{several} cuts, the first: {head}"
        from silhueta.core.cutting.tooling import tooling

        tools = tooling(made.plan.process, job.plan, limits).tools
        boxes = _box_of([entry]), _box_of(made.plan.entries)
        self.card.show_entry(made.plan, entry, contour, head, tools, boxes, units)

    def _layer_of(self, plan: Plan) -> PlanLayer:
        """Return what the table paints of a plan, made anew only where it differs."""
        old = self._layer
        if old is None or old.plan is not plan or old.chosen != self.chosen:
            self._layer = PlanLayer(plan, self.chosen)
        assert self._layer is not None
        return self._layer

    def _show_left_out(self, job: Job, made: Planned | None) -> None:
        """Show the card of a chosen contour that the plan leaves out, or none."""
        out = () if made is None or self.present != "plan" else made.plan.left_out
        one = next((left for left in out if self.chosen.intersection(left.keys)), None)
        contour = next((c for c in job.outline.contours if one and c.key == one.keys[0]), None)
        if one is None or contour is None:
            self.card.put_away()
            return
        left, bottom, right, top = box_of(contour.path)
        box = QRectF(left, bottom, right - left, top - bottom)
        head = f"Left out: {size_of(contour, self.session.units)}"
        hand = job.plan.hand(contour.key)
        present = hand.operation or contour.operation
        self.card.show_left_out(contour, present, head, sentence(one.text), box)

    def _first_chosen(self, plan: Plan) -> Entry | None:
        return next((one for one in plan.entries if self.chosen.intersection(one.keys)), None)


def _box_of(entries: tuple[Entry, ...] | list[Entry]) -> QRectF:
    paths = [p for one in entries for way in one.ways for p in (way.path, *way.leads)]
    left, bottom, right, top = bounding_box(paths)
    return QRectF(left, bottom, right - left, top - bottom)
