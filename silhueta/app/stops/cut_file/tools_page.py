"""The page Tools: which tools the plan has, each with its number, and the machine."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QSizePolicy, QVBoxLayout, QWidget

from silhueta.app.planning import clock
from silhueta.app.session import Session
from silhueta.app.stops.cut_file.entry_words import TOOL_NAMES
from silhueta.app.widgets import Choice, Field, Note, Select, boxed, clear, heading, row, sentence
from silhueta.core.errors import SilhuetaError, UnitsError
from silhueta.core.job import Job, set_inspect, set_plan
from silhueta.core.plan_settings import PlanSettings, Tool, Zero
from silhueta.core.units import MM_PER_UNIT, Unit, format_exact, parse_length
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.app.planning import Planned

_ZEROS = {"top": "Sheet’s top", "table": "Table"}
_AS_MATERIAL = "as material"
_HIGH = 40  # px: two lines
_MOST = 200  # tools of one job: more are a slip
_CUTS = ("flat", "ball")  # kinds whose width Inspect holds the part against


class ToolsPage(QWidget):
    """The tools as a list, the chosen one's values, the machine."""

    wrong = Signal(str)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._tools: tuple[Tool, ...] = ()
        self._number: int | None = None  # of the chosen one
        self._planned: Planned | None = None
        self._rows = QVBoxLayout()
        self._rows.setSpacing(4)
        self._known: tuple[Tool, ...] = ()
        self._shown: list[tuple[str, bool]] = []
        self.add = Select(self)
        self.add.setObjectName("add-tool")
        self.add.setAccessibleName("Add a tool")
        self.twice = QPushButton("Same bit again", self)
        self.twice.setObjectName("same-bit")
        self.twice.setToolTip(
            "The same bit under a second number, set on the table instead of the sheet’s top: the "
            "machine stops for it, and zero is set anew"
        )
        self.floor = QPushButton("Clears flat bottoms of grooves", self)
        self.floor.setObjectName("clears-floors")
        self.floor.setCheckable(True)
        self.floor.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.floor.clicked.connect(lambda on: self._set(flat_tool=self._number if on else None))
        self.out = QPushButton("Take it out", self)
        self.out.setObjectName("tool-out")
        self.keep = QPushButton("Keep these for later jobs", self)
        self.keep.setObjectName("keep-tools")
        self.diameter = self._field("Diameter", "diameter_mm", self._length)
        self.angle = self._field("Angle", "angle_deg", _degrees)
        self.feed = self._field("Feed", "feed_mm_min", _speed)
        self.plunge = self._field("Plunge", "plunge_mm_min", _speed)
        self.per_pass = self._field("Depth a pass", "depth_per_pass_mm", self._length)
        self.stepover = self._field("Stepover", "stepover", _share)
        self.zero = Choice("Zero is set on", _ZEROS, self)
        self.zero.chosen.connect(lambda key: self._change(zero=key))
        self.machine = Select(self)
        self.machine.setObjectName("machine")
        self.machine.setAccessibleName("Machine")
        self.about = Note(parent=self)
        self._lay_out()
        self.twice.clicked.connect(self._same_again)
        self.out.clicked.connect(self._take_out)
        self.keep.clicked.connect(self._keep)
        self.add.activated.connect(lambda _: self._add(self.add.currentData()))
        self.machine.activated.connect(lambda _: self._set(machine=self.machine.currentData()))

    def _field(self, name: str, value: str, read: Callable[[str], object]) -> Field:
        field = Field(name, read, self)
        field.setFixedWidth(110)
        field.setObjectName(f"tool-{value}")
        field.typed.connect(lambda got: self._change(**{value: got}))
        field.wrong.connect(self.wrong)
        return field

    def _length(self, text: str) -> object:
        bare = text.strip().lower()
        return 0.0 if bare in ("", "–", _AS_MATERIAL) else parse_length(text, self._session.units)

    def _lay_out(self) -> None:
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(5)
        inside.addLayout(self._rows)
        self.values = boxed(
            self,
            row(heading("Diameter"), None, self.diameter),
            row(heading("Feed"), None, self.feed),
            row(heading("Plunge"), None, self.plunge),
            row(heading("Depth a pass"), None, self.per_pass),
        )
        self.of_step = boxed(self, row(heading("Stepover"), None, self.stepover))
        self.of_angle = boxed(self, row(heading("Angle"), None, self.angle))
        self.of_zero = boxed(self, row(heading("Zero is set on")))
        layout = self.of_zero.layout()
        assert layout is not None
        layout.addWidget(self.zero)
        self.buttons = boxed(self, row(self.twice, self.out, None))
        boxes = (self.values, self.of_angle, self.of_step, self.of_zero, self.floor, self.buttons)
        for item in (self.add, *boxes):
            inside.addWidget(item)
        inside.addWidget(heading("Machine", self))
        inside.addWidget(self.machine)
        inside.addWidget(self.about)
        inside.addWidget(self.keep)
        inside.addStretch(1)

    # what is done

    def _apply(self, label: str, edit: Callable[[Job], Job]) -> None:
        self.wrong.emit("")
        try:
            self._session.apply(label, edit)
        except SilhuetaError as error:
            self.wrong.emit(sentence(str(error)))

    def _set(self, **changes: Any) -> None:
        self._apply("Cut plan", lambda job: set_plan(job, replace(job.plan, **changes)))

    def _take(self, label: str, tools: tuple[Tool, ...]) -> None:
        """Have the job planned with these tools; the bit that cuts through is Inspect's, too."""
        from silhueta.core.cutting.edits import with_tools

        def edit(job: Job) -> Job:
            made = set_plan(job, with_tools(job.plan, tools))
            cuts = [one for one in tools if one.kind in _CUTS and one.diameter_mm]
            wide = job.inspect.width
            fits = any(wide is not None and abs(one.diameter_mm - wide) < 1e-3 for one in cuts)
            if cuts and not fits and job.inspect.process == "router":
                made = set_inspect(made, replace(made.inspect, width=cuts[-1].diameter_mm))
            return made

        self._apply(label, edit)

    def _change(self, **changes: Any) -> None:
        changed = []
        try:
            for one in self._tools:
                changed.append(replace(one, **changes) if one.number == self._number else one)
        except SilhuetaError as error:
            self.wrong.emit(sentence(str(error)))
            return
        old = next((one for one in self._tools if one.number == self._number), None)
        wide = changes.get("diameter_mm")
        job = self._session.job
        if wide and old is not None and not self._sinks(job):
            self._apply(
                "Kerf", lambda job: set_inspect(job, replace(job.inspect, width=float(wide)))
            )
            return
        if wide and old is not None and old.kind in _CUTS:
            # both numbers of one bit are the same bit
            same = [abs(one.diameter_mm - old.diameter_mm) < 1e-9 for one in self._tools]
            changed = [
                replace(one, diameter_mm=float(wide)) if alike and one.kind == old.kind else one
                for one, alike in zip(changed, same, strict=True)
            ]
        self._take("Tool", tuple(changed))

    @staticmethod
    def _sinks(job: Job) -> bool:
        return job.inspect.process == "router"

    def _free_number(self) -> int:
        return max((one.number for one in self._tools), default=0) + 1

    def _add(self, which: int | None) -> None:
        if which is None or len(self._tools) >= _MOST:
            return
        one = replace(self._known[which], number=self._free_number())
        self._number = one.number
        self._take("Tool added", (*self._tools, one))

    def _same_again(self) -> None:
        one = next((tool for tool in self._tools if tool.number == self._number), None)
        if one is not None:
            other: Zero = "table" if one.zero == "top" else "top"
            again = replace(one, number=self._free_number(), zero=other)
            self._take("Same bit under another number", (*self._tools, again))

    def _take_out(self) -> None:
        left = tuple(one for one in self._tools if one.number != self._number)
        self._number = None
        self._take("Tool taken out", left)

    def _keep(self) -> None:
        from silhueta.core.files.shop_files import save_tools

        try:
            kept = save_tools(self._tools)
        except SilhuetaError as error:
            self.wrong.emit(sentence(str(error)))
            return
        self.about.say(f"Kept in {kept.name}: later jobs can take them from the list.")

    def choose(self, number: int) -> None:
        """Choose a tool by its number, to see and change its values."""
        self._number = number
        self.refresh(self._session.job)

    # what is shown

    def show_plan(self, made: Planned | None) -> None:
        """Take what the tools are used for."""
        self._planned = made
        self.refresh(self._session.job)

    def refresh(self, job: Job) -> None:
        """Show the tools, the chosen one's values, and the machine."""
        process = job.inspect.process
        self._tools = _tools_of(job)
        numbers = [one.number for one in self._tools]
        if self._number not in numbers:
            self._number = numbers[0] if numbers else None
        self._show_rows()
        self._show_known(job)
        one = next((tool for tool in self._tools if tool.number == self._number), None)
        sinks = self._sinks(job)
        self.values.setVisible(one is not None)
        self.of_angle.setVisible(one is not None and one.kind == "vbit")
        self.of_step.setVisible(one is not None and sinks and one.kind in _CUTS)
        self.of_zero.setVisible(one is not None and sinks)
        self.buttons.setVisible(one is not None and sinks)
        self.floor.setVisible(one is not None and one.kind == "flat" and self._has_grooves())
        self.floor.setChecked(one is not None and job.plan.flat_tool == one.number)
        self.keep.setVisible(bool(self._tools))
        self.out.setEnabled(len(self._tools) > 1)
        self.out.setToolTip("" if len(self._tools) > 1 else "it is the only one")
        if one is not None:
            self._show_values(one)
        self._show_machines(process, job.plan)
        faults = _faults()
        if faults:
            self.about.say(" ".join(faults), True)

    def _has_grooves(self) -> bool:
        made = self._planned
        return made is not None and any(e.operation == "vgroove" for e in made.plan.entries)

    def _show_rows(self) -> None:
        units = self._session.units
        lines = [
            (_line(one, self._planned, units), one.number == self._number) for one in self._tools
        ]
        if lines == self._shown:
            return
        self._shown = lines
        clear(self._rows)
        for one, (text, chosen) in zip(self._tools, lines, strict=True):
            button = QPushButton(text, self)
            button.setObjectName(f"tool-{one.number}")
            button.setCheckable(True)
            button.setChecked(chosen)
            button.setStyleSheet(f"text-align: left; padding: 4px 8px; min-height: {_HIGH}px")
            button.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
            button.setToolTip(one.note)
            button.clicked.connect(lambda _=False, n=one.number: self.choose(n))
            self._rows.addWidget(button)

    def _show_known(self, job: Job) -> None:
        from silhueta.core.shop.tools import OF_PROCESS, known_tools

        process = job.inspect.process
        self.add.setVisible(self._sinks(job))
        kinds = OF_PROCESS[process] if process is not None else ()
        known = tuple(one for one in known_tools()[0] if one.kind in kinds)
        if known == self._known and self.add.count():
            self.add.setCurrentIndex(0)
            return
        self._known = known
        self.add.clear()
        self.add.addItem("Add a tool…", None)
        for k, one in enumerate(known):
            self.add.addItem(f"{_named(one, self._session.units)}, zero on {one.zero}", k)

    def _show_values(self, one: Tool) -> None:
        units = self._session.units
        self.diameter.show_value(format_exact(one.diameter_mm, units))
        self.angle.show_value(f"{one.angle_deg:g}°")
        for field, value in ((self.feed, one.feed_mm_min), (self.plunge, one.plunge_mm_min)):
            field.show_value(f"{value:g} mm/min" if value else _AS_MATERIAL)
        deep = one.depth_per_pass_mm
        self.per_pass.show_value(format_exact(deep, units) if deep else _AS_MATERIAL)
        self.stepover.show_value(f"{100 * one.stepover:g} %")
        self.zero.set_chosen(one.zero)

    def _show_machines(self, process: str | None, plan: PlanSettings) -> None:
        from silhueta.core.shop.machines import OF_PROCESS, known_machines

        known = known_machines()[0]
        if self.machine.count() != len(known) + 1:
            self.machine.clear()
            self.machine.addItem("usual", None)
            for one in known:
                self.machine.addItem(one.name, one.name)
        usual = OF_PROCESS[process] if process is not None else "–"  # type: ignore[index]
        self.machine.setItemText(0, f"usual: {usual}")
        self.machine.setCurrentIndex(max(self.machine.findData(plan.machine), 0))


def _tools_of(job: Job) -> tuple[Tool, ...]:
    """Return the tools that a job has or, where nobody told any, those that it would get."""
    from silhueta.core.cutting.tooling import tooling
    from silhueta.core.inspection.limits import limits_of

    process = job.inspect.process
    if process is None:
        return ()
    try:
        return tooling(process, job.plan, limits_of(job)).tools
    except SilhuetaError:
        return job.plan.tools


def _faults() -> tuple[str, ...]:
    """Return what is wrong in a person's own files."""
    from silhueta.core.shop.machines import known_machines
    from silhueta.core.shop.materials import known_materials
    from silhueta.core.shop.tools import known_tools

    every = (*known_tools()[1], *known_materials()[1], *known_machines()[1])
    return tuple(f"{fault}." for fault in every)


def _named(one: Tool, units: Unit) -> str:
    text = f"{TOOL_NAMES[one.kind]} {one.diameter_mm / MM_PER_UNIT[units]:.4g} {units}"
    if one.kind == "blade":
        text = TOOL_NAMES[one.kind]
    return f"{text} {one.angle_deg:g}°" if one.kind == "vbit" else text


def _line(one: Tool, made: Planned | None, units: Unit) -> str:
    """Return what a tool is and what it is used for, in a line."""
    text = f"{one.number}   {_named(one, units)}"
    if one.zero == "table":
        text += ", on the table"
    if made is None:
        return text
    uses = sum(entry.tool.number == one.number for entry in made.plan.entries)
    spent = clock(made.times.by_tool.get(one.number, 0.0))
    return f"{text}\n      " + (f"{counted(uses, 'cut')}, {spent}" if uses else "not used")


def _degrees(text: str) -> object:
    return _number(text.replace("°", "").replace("deg", ""), "an angle like 60")


def _share(text: str) -> object:
    return _number(text.replace("%", ""), "a share like 40 %") / 100


def _speed(text: str) -> object:
    bare = text.strip().lower()
    if bare in ("", "–", _AS_MATERIAL):
        return 0.0
    return _number(bare.replace("mm/min", ""), "a speed like 1500 mm/min")


def _number(text: str, like: str) -> float:
    try:
        value = float(text.strip().replace(",", "."))
    except ValueError as error:
        raise UnitsError(f"“{text.strip()[:40]}” is no number; type {like}") from error
    if not 0 < value < 1e5:  # what is larger is a slip
        raise UnitsError(f"{value:g} cannot be; type {like}")
    return value
