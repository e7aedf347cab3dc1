"""What the part is held against: how it is cut, out of which sheet, by which tool."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, Any, cast

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QPushButton, QSizePolicy, QVBoxLayout, QWidget

from silhueta.app.session import Session
from silhueta.app.widgets import Field, Note, Select, boxed, heading, row
from silhueta.core.errors import SilhuetaError, UnitsError
from silhueta.core.inspect_settings import PROCESSES, Limits, Process
from silhueta.core.job import Job, set_inspect
from silhueta.core.units import (
    MM_PER_UNIT,
    Unit,
    format_exact,
    format_sides,
    parse_length,
)

if TYPE_CHECKING:
    from silhueta.core.inspection.processes import Profile

_CHOOSE = "Choose how it is cut"
_NONE, _NO_MATERIAL = "Only the outline itself", "not told"
_BITS = ("router",)  # processes whose tool is named by its diameter


class HeldAgainst(QWidget):
    """Two rows in view: the process, and thickness and tool; the rest behind a button."""

    wrong = Signal(str)
    changed = Signal()  # by the person

    def __init__(
        self, session: Session, parent: QWidget | None = None, explains: bool = True
    ) -> None:
        """Show what is set; where it `explains`, also what that asks of holes and webs."""
        super().__init__(parent)
        self._explains = explains
        from silhueta.core.inspection.materials import DENSITIES

        self._session = session
        self.process = Select(self)
        self.process.setAccessibleName("How it is cut")
        self.process.setObjectName("process")
        self.process.addItem(_NONE if explains else _CHOOSE, None)
        for process in PROCESSES:
            self.process.addItem(process.capitalize(), process)
        self.thickness, self.tool = self._length("Thickness", 80), self._length("Kerf", 80)
        self.tool_name = heading("Kerf", self)
        self.about = Note(parent=self)
        self.more = QPushButton("Sheet, margin, webs…", self)
        self.more.setObjectName("inspect-more")
        self.more.setCheckable(True)
        self.more.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.sheet = Field("Sheet", self._read_sheet, self)
        self.sheet.setFixedWidth(136)
        self.margin = self._length("Margin", 84)
        self.web = self._length("Least web", 84)
        self.slats = self._length("Slats apart", 84)
        self.material = Select(self)
        self.material.setAccessibleName("Material")
        for name in (_NO_MATERIAL, *DENSITIES):
            self.material.addItem(name, None if name == _NO_MATERIAL else name)
        self._lay_out()
        self._connect()

    def _length(self, name: str, wide: int) -> Field:
        field = Field(name, self._read_length, self)
        field.setFixedWidth(wide)
        return field

    def _read_length(self, text: str) -> object:
        bare = text.strip().lower()
        return (
            None
            if bare in ("", "–", "usual")
            else parse_length(text, self._session.units, zero=True)
        )

    def _read_sheet(self, text: str) -> object:
        bare = text.strip().lower()
        if bare in ("", "–", "none"):
            return None
        sides = [side for side in bare.replace("×", "x").split("x") if side.strip()]
        if len(sides) != 2:
            raise UnitsError(f"“{text.strip()[:40]}” is no sheet; type its sides like 600 x 400 mm")
        unit: Unit | None = (
            "in" if bare.endswith(("in", '"')) else "mm" if bare.endswith("mm") else None
        )
        return tuple(parse_length(side, unit or self._session.units) for side in sides)

    def _lay_out(self) -> None:
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(5)
        inside.addWidget(self.process)
        self.tools = boxed(
            self, row(heading("Thick"), self.thickness, None, self.tool_name, self.tool)
        )
        self.others = boxed(
            self,
            row(heading("Sheet’s size"), None, self.sheet),
            row(heading("Margin"), None, self.margin),
            row(heading("Least web"), None, self.web),
            row(heading("Slats apart"), None, self.slats),
            row(heading("Material"), None, self.material),
        )
        for box in (self.tools, self.others):
            layout = box.layout()
            assert layout is not None
            layout.setSpacing(5)
        inside.addWidget(self.tools)
        inside.addWidget(self.about)
        inside.addWidget(self.more)
        inside.addWidget(self.others)
        self.others.hide()

    def _connect(self) -> None:
        self.process.activated.connect(
            lambda _: self._set(process=cast("Process | None", self.process.currentData()))
        )
        self.material.activated.connect(lambda _: self._set(material=self.material.currentData()))
        for name, field in (
            ("thickness", self.thickness),
            ("width", self.tool),
            ("sheet", self.sheet),
            ("margin", self.margin),
            ("web", self.web),
            ("slats", self.slats),
        ):
            field.typed.connect(self._setter(name))
            field.wrong.connect(self.wrong)
        self.more.toggled.connect(self._show_more)

    def _setter(self, name: str) -> Callable[[object], None]:
        return lambda value: self._set(**{name: value})

    def _show_more(self, on: bool) -> None:
        self.others.setVisible(on)
        self.refresh(self._session.job)

    def _set(self, **changes: Any) -> None:
        self.wrong.emit("")
        if "process" in changes:
            changes["width"] = None  # a kerf says nothing of a bit
        self.changed.emit()
        try:
            self._session.apply(
                "What it is held against",
                lambda job: set_inspect(job, replace(job.inspect, **changes)),
            )
        except SilhuetaError as error:
            self.wrong.emit(str(error))

    def refresh(self, job: Job) -> None:
        """Show what is set."""
        from silhueta.core.inspection.limits import asked, limits_of, tool_of
        from silhueta.core.inspection.processes import known

        limits, units = limits_of(job), self._session.units
        self.process.setCurrentIndex(self.process.findData(limits.process))
        self.material.setCurrentIndex(max(self.material.findData(limits.material), 0))
        self.tools.setVisible(limits.process is not None)
        bit = limits.process in _BITS
        name = "Bit" if bit else "Kerf"
        self.tool_name.setText(name)
        self.tool.setAccessibleName("Diameter of the bit" if bit else "Kerf")
        self.thickness.show_value(_shown(limits.thickness, units))
        self.tool.show_value(format_exact(tool_of(limits), units))
        sheet = limits.sheet
        self.sheet.show_value("none" if sheet is None else format_sides(*sheet, units))
        self.margin.show_value(_shown(limits.margin, units))
        self.web.show_value("usual" if limits.web is None else format_exact(limits.web, units))
        self.slats.show_value(_shown(limits.slats, units))
        self.more.setText(_more_text(job.inspect, self.more.isChecked(), self._session))
        faults = known()[1]
        told = _explained(limits, asked(limits), self._session) if self._explains else ""
        self.about.say(" ".join((told, *faults)).strip(), bool(faults))


def _shown(value: float | None, units: Unit) -> str:
    return "–" if value is None else format_exact(value, units)


def _more_text(limits: Limits, opened: bool, session: Session) -> str:
    """Return what the button that shows the rest says: what is set there."""
    if opened:
        return "Less"
    units = session.units
    told = []
    if limits.sheet is not None:
        told.append("Sheet " + format_sides(*limits.sheet, units))
    if limits.margin:
        told.append(f"margin {limits.margin / MM_PER_UNIT[units]:.4g}")
    return ", ".join(told) or "Sheet, margin, webs…"


def _explained(limits: Limits, profile: Profile, session: Session) -> str:
    """Return in one line what the process asks of this sheet."""
    from silhueta.core.inspection.limits import least_corner, least_hole, least_web

    units = session.units
    if limits.process is None:
        return "Say how it is cut, and holes, webs and pieces are looked at, too."
    told = []
    hole, web, corner = least_hole(limits)[0], least_web(limits)[0], least_corner(limits)[0]
    if hole:
        told.append(f"holes from {format_exact(hole, units)}")
    if web:
        told.append(f"webs from {format_exact(web, units)}")
    if corner:
        told.append(f"inside corners from {format_exact(corner, units)}")
    waits = ""
    if limits.thickness is None and (profile.hole_thickness or profile.pierce_thickness):
        waits = " Type how thick the sheet is: holes depend on it."
    return (", ".join(told).capitalize() + "." if told else "") + waits
