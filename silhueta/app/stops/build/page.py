"""A page of Build: fields, and buttons that show what they would do before they do it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtCore import QEvent, QObject, QTimer
from PySide6.QtWidgets import QPushButton, QVBoxLayout, QWidget

from silhueta.app.widgets import Field, heading, read_number
from silhueta.core.build.tying import Tied
from silhueta.core.errors import SilhuetaError
from silhueta.core.job import Job
from silhueta.core.units import Unit, format_length, parse_length

if TYPE_CHECKING:
    from silhueta.app.stops.build.sheet import BuildSheet


class Made(NamedTuple):
    """What came of an edit: the job, what is told of it, and whether that needs a look.

    Besides, while the outline stays: its ties, and the sheets that it lies on (boxes, mm).
    """

    job: Job
    told: str = ""
    wrong: bool = False
    tied: Tied | None = None
    beds: Sequence[tuple[float, float, float, float]] = ()


Edit = Callable[[Job], Job | Made]


def made_by(edit: Edit, job: Job) -> Made:
    """Return what came of an edit of `job`, told or not."""
    done = edit(job)
    return done if isinstance(done, Made) else Made(done)


_PATIENCE = 250  # ms over a button, before what it would do is shown


class BuildPage(QWidget):
    """Makes its edit from its fields whenever a button is pointed at or pressed."""

    def __init__(self, sheet: BuildSheet) -> None:
        super().__init__(sheet)
        self.sheet = sheet
        self.inside = QVBoxLayout(self)
        self.inside.setContentsMargins(0, 0, 0, 0)
        self.inside.setSpacing(5)
        self._edits: dict[QObject, Callable[[], Edit]] = {}
        self._pointed: QObject | None = None
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.setInterval(_PATIENCE)
        self._wait.timeout.connect(self._look)
        self.values: dict[str, float] = {}
        self._lengths: list[tuple[Field, str, bool]] = []

    def length(self, name: str, value: float, signed: bool = False, wide: int = 76) -> Field:
        """Return a field of a length, mm, whose value is in :attr:`values`; 0 is shown empty."""
        field = Field(name, lambda text: self._read(text, signed), self)
        field.setFixedWidth(wide)
        self.values[name] = value
        self._lengths.append((field, name, signed))
        field.typed.connect(lambda mm: self._typed(name, mm))
        field.wrong.connect(self.sheet.tell)
        return field

    def number(self, name: str, value: int, low: int, high: int) -> Field:
        """Return a field of a whole number."""
        field = Field(name, lambda text: float(round(read_number(text, "", low, high, name))), self)
        field.setFixedWidth(44)
        field.show_value(str(value))
        self.values[name] = float(value)
        field.typed.connect(lambda count: self._typed(name, count))
        field.wrong.connect(self.sheet.tell)
        return field

    def _read(self, text: str, signed: bool) -> float:
        bare = text.strip()
        if not bare:
            return 0.0
        units = self.sheet.session.units
        if signed and bare[0] in "-−":
            return -parse_length(bare[1:], units, zero=True)
        return parse_length(bare, units, zero=True)

    def _typed(self, name: str, value: float) -> None:
        self.values[name] = value
        self.sheet.tell("")
        self.changed()

    def changed(self) -> None:
        """Take note of a typed value."""

    def deed(self, text: str, name: str, tip: str, make: Callable[[], Edit]) -> QPushButton:
        """Return a button for an edit, which is made from the fields when it is wanted."""
        button = QPushButton(text, self)
        button.setObjectName(name)
        button.setToolTip(tip)
        self._edits[button] = make
        button.installEventFilter(self)
        button.clicked.connect(lambda: self._do(text, make))
        return button

    def _do(self, label: str, make: Callable[[], Edit]) -> None:
        self._wait.stop()
        try:
            self.sheet.do(label, make())
        except SilhuetaError as error:
            self.sheet.tell(str(error))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Show what a button would do while it is pointed at or has the focus."""
        kind = event.type()
        if kind in (QEvent.Type.Enter, QEvent.Type.FocusIn):
            self._pointed = watched
            self._wait.start()
        elif kind in (QEvent.Type.Leave, QEvent.Type.FocusOut):
            self._pointed = None
            self._wait.stop()
            self.sheet.look(None)
        return super().eventFilter(watched, event)

    def _look(self) -> None:
        button = self._pointed
        if not isinstance(button, QPushButton) or not button.isEnabled():
            return
        try:
            self.sheet.look(self._edits[button]())
        except SilhuetaError:
            return

    def refresh(self, job: Job) -> None:
        """Show values in the present unit."""
        units = self.sheet.session.units
        for field, name, _ in self._lengths:
            value = self.values[name]
            field.show_value(_short(value, units) if value else "")

    def title(self, text: str) -> QWidget:
        """Return a heading."""
        return heading(text, self)


def _short(mm: float, units: Unit) -> str:
    """Return a length without zeros that say nothing."""
    number, name = format_length(mm, units).rsplit(" ", 1)
    return f"{number.rstrip('0').rstrip('.') if '.' in number else number} {name}"
