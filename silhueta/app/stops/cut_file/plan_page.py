"""The page Plan: how it is cut, in which order, and what that comes to."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from silhueta.app.session import Session
from silhueta.app.stops.cut_file.entry_list import EntryList, Line
from silhueta.app.stops.cut_file.entry_words import name_of, size_of, told_of
from silhueta.app.stops.inspect.held import HeldAgainst
from silhueta.app.widgets import Choice, Field, Note, Select, boxed, heading, row, sentence
from silhueta.core.errors import SilhuetaError, UnitsError
from silhueta.core.job import Job, set_inspect, set_plan
from silhueta.core.plan_settings import ByHand
from silhueta.core.units import format_exact, lengths_in, parse_length

if TYPE_CHECKING:
    from silhueta.app.planning import Planned
    from silhueta.core.cutting.plan import Plan

_USUAL = "usual"
_LISTED = 60  # entries that the list has
_TOLD = 3  # findings that are said in the worksheet
_LEADS = {"": _USUAL, "arc": "arc", "line": "line", "none": "none"}
_COMPENSATE = {"file": "In the file", "machine": "By the machine"}
_ORDERS = {"parts": "Part by part", "holes": "All holes first"}
_POCKETS = {"spiral": "From inside", "raster": "To and fro"}
_ENTRIES = {"ramp": "Ramp", "helix": "Helix", "plunge": "Plunge"}
_HEAT = {"near": "Shortest way", "apart": "Spread out"}
_PLAIN = (
    "drill_up_to",
    "over_depth",
    "finish",
    "peck",
)  # settings that are 0 where nobody typed them
_SINKS, _BURNS = ("router",), ("plasma", "laser", "water")
_ROUND = {"climb": "Climb", "conventional": "Conventional"}


class PlanPage(QWidget):
    """Process and sheet, leads or tabs, the order; everything else behind a button."""

    chosen = Signal(int)
    moved = Signal(int, int)
    wrong = Signal(str)

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.held = HeldAgainst(session, self, explains=False)
        self.material = Select(self)
        self.material.setAccessibleName("Material")
        self.material.setObjectName("plan-material")
        self.lead = Select(self)
        self.lead.setAccessibleName("Lead-in")
        self.lead.setObjectName("plan-lead")
        for key, text in _LEADS.items():
            self.lead.addItem(text, key or None)
        self.lead.setMinimumWidth(112)
        self.lead_length = self._length("Length of leads", "lead_length")
        self.lead_length.setFixedWidth(66)
        self.tabs = self._number("Tabs on each piece", "tabs")
        self.passes = self._number("Passes", "passes")
        self.more = QPushButton("Tabs, side, order…", self)
        self.more.setObjectName("plan-more")
        self.more.setCheckable(True)
        self.tab_width = self._length("Width of tabs", "tab_width")
        self.tab_height = self._length("Height of tabs", "tab_height")
        self.deep = self._length("Depth of pockets and engraving", "depth")
        self.overcut = self._length("Overcut", "overcut")
        self.gap = self._length("Gap between engraved lines", "hatch_gap")
        self.hatch_angle = Field("Angle of engraved lines", _read_angle, self)
        self.hatch_angle.setFixedWidth(84)
        self.hatch_angle.typed.connect(self._setter("hatch_angle"))
        self.hatch_angle.wrong.connect(self.wrong)
        self.drill = self._length("Drill holes up to", "drill_up_to")
        self.peck = self._length("Drawn back after each", "peck")
        self.over = self._length("Over-depth", "over_depth")
        self.finish = self._length("Left for a pocket’s last way", "finish")
        self.pocket = Choice("Pockets", _POCKETS, self)
        self.entry = Choice("Way down", _ENTRIES, self)
        self.spread = Choice("Heat", _HEAT, self)
        self.compensate = Choice("Compensated", _COMPENSATE, self)
        self.order = Choice("Order", _ORDERS, self)
        self.round = Choice("Way round", _ROUND, self)
        self.note = Note(parent=self)
        self.list_head = heading("In this order", self)
        self.list = EntryList(self)
        self._lay_out()
        self._connect()

    def _length(self, name: str, setting: str) -> Field:
        field = Field(name, self._read_length, self)
        field.setFixedWidth(84)
        field.typed.connect(self._setter(setting))
        field.wrong.connect(self.wrong)
        return field

    def _number(self, name: str, setting: str) -> Field:
        field = Field(name, _read_number, self)
        field.setFixedWidth(54)
        field.typed.connect(self._setter(setting))
        field.wrong.connect(self.wrong)
        return field

    def _read_length(self, text: str) -> object:
        if text.strip().lower() in ("", "–", _USUAL):
            return None
        return parse_length(text, self._session.units, zero=True)

    def _lay_out(self) -> None:
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(5)
        self.of_sheet = boxed(self, row(heading("Material"), None, self.material))
        self.of_leads = boxed(self, row(heading("Lead-in"), None, self.lead, self.lead_length))
        self.of_bits = boxed(
            self, row(heading("Tabs"), self.tabs, None, heading("Passes"), self.passes)
        )
        self.others = boxed(
            self,
            row(heading("Tabs’ width"), None, self.tab_width),
            row(heading("Tabs’ height"), None, self.tab_height),
            row(heading("Depth of fields"), None, self.deep),
            row(heading("Engraved lines apart"), None, self.gap),
            row(heading("Their angle"), None, self.hatch_angle),
            row(heading("Overcut"), None, self.overcut),
        )
        self.of_depths = boxed(
            self,
            row(heading("Below the sheet"), None, self.over),
            row(heading("Drill holes up to"), None, self.drill),
            row(heading("Drill drawn back each"), None, self.peck),
            row(heading("Last way at walls"), None, self.finish),
        )
        within = self.others.layout()
        assert within is not None
        within.addWidget(self.of_depths)
        self._choices: dict[Choice, QLabel] = {}
        for name, choice in (
            ("Kerf or bit is allowed for", self.compensate),
            ("Order", self.order),
            ("Way round", self.round),
            ("Neighbours", self.spread),
            ("Pockets", self.pocket),
            ("Way down", self.entry),
        ):
            self._choices[choice] = heading(name, self)
            layout = self.others.layout()
            assert layout is not None
            layout.addWidget(self._choices[choice])
            layout.addWidget(choice)
        self.others.hide()
        for item in (
            self.held,
            self.of_sheet,
            self.of_leads,
            self.of_bits,
            self.more,
            self.others,
            self.note,
            self.list_head,
            self.list,
        ):
            inside.addWidget(item)
        inside.addStretch(1)

    def _connect(self) -> None:
        self.held.wrong.connect(self.wrong)
        self.material.activated.connect(lambda _: self._set_material(self.material.currentData()))
        self.lead.activated.connect(lambda _: self.set(lead=self.lead.currentData()))
        self.compensate.chosen.connect(lambda key: self.set(compensate=key))
        self.order.chosen.connect(lambda key: self.set(order=key))
        self.round.chosen.connect(lambda key: self.set(climb=key == "climb"))
        self.spread.chosen.connect(lambda key: self.set(spread=key == "apart"))
        self.pocket.chosen.connect(lambda key: self.set(pocket_way=key))
        self.entry.chosen.connect(lambda key: self.set(entry=key))
        self.more.toggled.connect(self._show_more)
        self.list.chosen.connect(self.chosen)
        self.list.moved.connect(self.moved)

    def _setter(self, name: str) -> Callable[[object], None]:
        return lambda value: self.set(**{name: 0.0 if value is None and name in _PLAIN else value})

    def _show_more(self, on: bool) -> None:
        self.others.setVisible(on)
        self.more.setText("Less" if on else "Tabs, side, order…")

    def set(self, **changes: Any) -> None:
        """Change settings of the plan, as one step."""
        self.wrong.emit("")
        try:
            self._session.apply("Cut plan", lambda job: set_plan(job, replace(job.plan, **changes)))
        except SilhuetaError as error:
            self.wrong.emit(sentence(str(error)))

    def _set_material(self, name: str | None) -> None:
        self._session.apply(
            "Material", lambda job: set_inspect(job, replace(job.inspect, material=name))
        )

    # what is shown

    def refresh(self, job: Job) -> None:
        """Show what is set."""
        plan, units = job.plan, self._session.units
        process = job.inspect.process
        self.held.refresh(job)
        self._show_materials(job)
        sinks = process in _SINKS
        self.of_sheet.setVisible(process is not None)
        self.of_leads.setVisible(process in _BURNS)
        self.of_bits.setVisible(sinks)
        self.more.setVisible(process is not None)
        self.others.setVisible(process is not None and self.more.isChecked())
        self.lead.setCurrentIndex(max(self.lead.findData(plan.lead), 0))
        self.tabs.show_value(_USUAL if plan.tabs is None else str(plan.tabs))
        self.passes.show_value(_USUAL if plan.passes is None else str(plan.passes))
        for field, value in (
            (self.lead_length, plan.lead_length),
            (self.tab_width, plan.tab_width),
            (self.tab_height, plan.tab_height),
            (self.deep, plan.depth),
            (self.gap, plan.hatch_gap),
            (self.overcut, plan.overcut),
        ):
            field.show_value(_USUAL if value is None else format_exact(value, units))
        for field, length in (
            (self.over, plan.over_depth),
            (self.drill, plan.drill_up_to),
            (self.peck, plan.peck),
            (self.finish, plan.finish),
        ):
            field.show_value(format_exact(length, units) if length else "–")
        self.hatch_angle.show_value(f"{plan.hatch_angle:g}°")
        self.of_depths.setVisible(sinks)
        for choice, shown in (
            (self.spread, process in _BURNS),
            (self.pocket, sinks),
            (self.entry, sinks),
        ):
            choice.setVisible(shown)
            self._choices[choice].setVisible(shown)
        self.spread.set_chosen("apart" if plan.spread else "near")
        self.pocket.set_chosen(plan.pocket_way)
        self.entry.set_chosen(plan.entry)
        self.compensate.set_chosen(plan.compensate)
        self.order.set_chosen(plan.order)
        self.round.set_chosen("climb" if plan.climb else "conventional")

    def _show_materials(self, job: Job) -> None:
        from silhueta.core.shop.materials import known_materials

        process, known = job.inspect.process, known_materials()[0]
        names: dict[str, None] = {}
        for one in known:
            if one.process == process:
                names.setdefault(one.name)
        present = job.inspect.material
        if present is not None:
            names.setdefault(present)
        rows = [("not told", None), *((name, name) for name in names)]
        if [self.material.itemData(k) for k in range(self.material.count())] != [
            data for _, data in rows
        ]:
            self.material.clear()
            for text, data in rows:
                self.material.addItem(text, data)
        self.material.setCurrentIndex(max(self.material.findData(present), 0))

    def _show_proposed(self, plan: Plan) -> None:
        """Show what was proposed where nobody said."""
        from silhueta.core.cutting.tooling import tooling

        settings, units = plan.settings, self._session.units
        kind, length = tooling(plan.process, settings, plan.limits).lead("cut", ByHand(0))
        self.lead.setToolTip(f"{_USUAL} here: {kind}")
        if settings.lead_length is None and length:
            self.lead_length.show_value(format_exact(length, units))
        cuts = [one for one in plan.entries if one.operation == "cut"]
        if settings.passes is None and cuts:
            self.passes.show_value(str(max(len(one.steps) for one in cuts)))
        if settings.tabs is None and cuts:
            self.tabs.show_value(str(max(one.tabs for one in cuts)))

    def show_plan(self, job: Job, made: Planned | None, chosen: frozenset[int]) -> None:
        """Show the order of work, what could not be planned, and what was taken for granted."""
        self.list_head.setVisible(made is not None)
        self.list.setVisible(made is not None)
        if made is None:
            self.note.say("")
            return
        plan, units = made.plan, self._session.units
        self._show_proposed(plan)
        by_key = {c.key: c for c in job.outline.contours}
        lines = [
            Line(name_of(one), size_of(by_key[one.key], units), told_of(one, units))
            for one in plan.entries[:_LISTED]
            if one.key in by_key
        ]
        every = plan.listed
        places = frozenset(k for k, keys in enumerate(every) if chosen.intersection(keys))
        if len(plan.entries) <= _LISTED:
            lines += [
                Line("Left out", size_of(by_key[one.keys[0]], units), one.text, out=True)
                for one in plan.left_out[: _LISTED - len(plan.entries)]
                if one.keys[0] in by_key
            ]
        self.list.show_lines(lines, max(len(every) - len(lines), 0), places)
        self.note.say(*_noted(plan, self._session))


def _noted(plan: Plan, session: Session) -> tuple[str, bool]:
    """Return what a person should know of a plan, and whether something is wrong."""
    found = [one for one in plan.findings if one.severity != "look"]
    told = [sentence(lengths_in(one.text, session.units)) for one in found[:_TOLD]]
    if len(found) > _TOLD:
        told.append(f"And {len(found) - _TOLD} more.")
    told += [sentence(lengths_in(note, session.units)) for note in plan.notes]
    if not found:
        looks = [one for one in plan.findings if one.severity == "look"][:1]
        told += [sentence(lengths_in(one.text, session.units)) for one in looks]
    return " ".join(told), bool(found)


def _read_number(text: str) -> object:
    bare = text.strip().lower()
    if bare in ("", "–", _USUAL):
        return None
    if not bare.isdigit() or len(bare) > 6:
        raise UnitsError(f"“{text.strip()[:40]}” is no number; type one like 6")
    return int(bare)


def _read_angle(text: str) -> object:
    bare = text.strip().removesuffix("°").strip().replace(",", ".")
    try:
        value = float(bare)
    except ValueError as error:
        raise UnitsError(f"“{text.strip()[:40]}” is no angle; type one like 45°") from error
    if not -180 <= value <= 180:
        raise UnitsError("an angle goes from -180° to 180°")
    return value
