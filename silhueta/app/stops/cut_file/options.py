"""What can be chosen of a format of cut files, as the worksheet shows it."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QVBoxLayout, QWidget

from silhueta.app.widgets import Choice, Field, Note, heading
from silhueta.core.cut_file_settings import CutFileSettings, Value
from silhueta.core.errors import UnitsError
from silhueta.core.files.format import Choice as OneOf
from silhueta.core.files.format import Format, Number, Option, YesNo
from silhueta.core.units import Unit, format_length, parse_length

_YES, _NO = "yes", "no"


class OptionRow(QWidget):
    """The title of an option of a format, and what it can be."""

    def __init__(
        self,
        form: Format,
        option: Option,
        choose: Callable[[str, str, Value], None],
        parent: QWidget | None = None,
    ) -> None:
        """Show `option` of `form`; `choose` is told its title, its name and what was chosen."""
        super().__init__(parent)
        self.form, self.option = form, option
        self._units: Unit = "mm"
        self._choose = choose
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(heading(option.title))
        self.choice: Choice | None = None
        self.field: Field | None = None
        if isinstance(option, Number):
            self.field = Field(option.title, self._read, self)
            self.field.typed.connect(self._typed)
            note = Note(parent=self)
            self.field.wrong.connect(lambda fault: note.say(fault, bool(fault)))
            layout.addWidget(self.field)
            layout.addWidget(note)
        else:
            several = {_NO: "No", _YES: "Yes"} if isinstance(option, YesNo) else option.choices
            self.choice = Choice(option.title, dict(several), self)
            self.choice.chosen.connect(self._chosen)
            layout.addWidget(self.choice)

    def show_value(self, plan: CutFileSettings, units: Unit) -> None:
        """Show what is chosen; lengths in the person's own unit."""
        self._units = units
        value = self.form.value(plan, self.option.name)
        if self.choice is not None:
            flag = isinstance(self.option, YesNo)
            self.choice.set_chosen((_YES if value else _NO) if flag else str(value))
        elif self.field is not None and isinstance(self.option, Number):
            self.field.show_value(self._said(float(value)))

    def _said(self, value: float) -> str:
        assert isinstance(self.option, Number)
        if self.option.unit == "mm":
            return format_length(value, self._units)
        return f"{value:g} {self.option.unit}".strip()

    def _read(self, text: str) -> object:
        assert isinstance(self.option, Number)
        if self.option.unit == "mm":
            value = parse_length(text, self._units)
        else:
            bare = text.strip().removesuffix(self.option.unit).strip().replace(",", ".")
            try:
                value = float(bare)
            except ValueError as error:
                raise UnitsError(f"“{text[:40]}” is no number") from error
        if not self.option.fits(value):
            low, high = self._said(self.option.low), self._said(self.option.high)
            raise UnitsError(f"{self.option.title} can be {low} to {high}")
        return value

    def _typed(self, value: object) -> None:
        assert isinstance(value, float)
        self._choose(self.option.title, self.form.named(self.option), value)

    def _chosen(self, key: str) -> None:
        value: Value = key if isinstance(self.option, OneOf) else key == _YES
        self._choose(self.option.title, self.form.named(self.option), value)
