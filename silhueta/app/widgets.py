"""Small controls that every worksheet uses."""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtCore import QEvent, QPointF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QFont,
    QKeyEvent,
    QKeySequence,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QWheelEvent,
)
from PySide6.QtWidgets import (
    QAbstractButton,
    QButtonGroup,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from silhueta.app.look.theme import AMBER_DEEP, FAINT, INK, font
from silhueta.core.errors import UnitsError


class Choice(QWidget):
    """A few buttons in a row, one of them chosen."""

    chosen = Signal(str)  # by the person

    def __init__(
        self,
        name: str,
        options: dict[str, str],
        parent: QWidget | None = None,
        columns: int | None = None,
    ) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self._group = QButtonGroup(self)
        self._keys = list(options)
        columns = columns or len(options)
        layout = QGridLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        for number, (key, text) in enumerate(options.items()):
            button = QPushButton(text, self)
            button.setCheckable(True)
            button.setObjectName(f"choice-{key}")
            button.setAccessibleName(f"{name}: {text}")
            button.setStyleSheet("padding: 2px 6px")
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            self._group.addButton(button, number)
            layout.addWidget(button, number // columns, number % columns)
        self._group.idClicked.connect(lambda number: self.chosen.emit(self._keys[number]))

    def button(self, key: str) -> QPushButton:
        """Return the button of `key`."""
        button = self._group.button(self._keys.index(key))
        assert isinstance(button, QPushButton)
        return button

    def set_chosen(self, key: str) -> None:
        """Show `key` as chosen, without telling anybody."""
        self.button(key).setChecked(True)

    def clear_chosen(self) -> None:
        """Show none as chosen."""
        self._group.setExclusive(False)
        for button in self._group.buttons():
            button.setChecked(False)
        self._group.setExclusive(True)


class Slider(QSlider):
    """A slider over values that matter by their ratio; the wheel scrolls past it."""

    slid = Signal(float)  # by the person
    let_go = Signal()

    def __init__(self, name: str, low: float, high: float, parent: QWidget | None = None) -> None:
        super().__init__(Qt.Orientation.Horizontal, parent)
        self.setAccessibleName(name)
        self.setRange(0, 100)
        self._low, self._high = low, high
        self.valueChanged.connect(
            lambda step: self.slid.emit(low * float((high / low) ** (step / 100)))
        )
        self.sliderReleased.connect(self.let_go)

    def show_value(self, value: float) -> None:
        """Show `value`, without telling anybody."""
        ratio = math.log(max(value, self._low) / self._low) / math.log(self._high / self._low)
        self.blockSignals(True)
        self.setValue(round(100 * ratio))
        self.blockSignals(False)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Leave the wheel to the worksheet: scrolling changes nothing."""
        event.ignore()


class Select(QComboBox):
    """A list of choices that opens at a click; the wheel scrolls past it."""

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Leave the wheel to the worksheet: scrolling changes nothing."""
        event.ignore()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the choice, and a mark that says that it opens."""
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(INK if self.isEnabled() else FAINT, 1.6))
        x, y = self.width() - 15, self.height() // 2
        painter.drawPolyline(
            QPolygonF([QPointF(x - 4, y - 2), QPointF(x, y + 2), QPointF(x + 4, y - 2)])
        )
        painter.end()


class Field(QLineEdit):
    """A typed value, read when Enter is pressed or the field is left; wrong input is explained."""

    typed = Signal(object)  # the value that the reader gave
    wrong = Signal(str)  # what is wrong, or "" when it no longer is

    def __init__(
        self, name: str, read: Callable[[str], object], parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self._read = read
        self._shown = ""
        self.setFixedWidth(104)
        self.setFont(font(14, QFont.Weight.Medium))
        self.editingFinished.connect(self._take)

    def show_value(self, text: str) -> None:
        """Show `text` as the present value, unless the person is typing."""
        self._shown = text
        if not (self.hasFocus() and self.isModified()):
            self.setText(text)
            self.setModified(False)
            self._mark("")

    def event(self, event: QEvent) -> bool:
        """Leave undo and redo to the job, unless something half typed can be taken back."""
        if (
            event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
            and not self.isModified()
            and (
                event.matches(QKeySequence.StandardKey.Undo)
                or event.matches(QKeySequence.StandardKey.Redo)
            )
        ):
            event.ignore()
            return False
        return super().event(event)

    def _take(self) -> None:
        if not self.isModified():
            return
        self.setModified(False)
        try:
            value = self._read(self.text())
        except UnitsError as error:
            self._mark(str(error))
            return
        self._mark("")
        self.typed.emit(value)
        self.setText(self._shown)

    def _mark(self, fault: str) -> None:
        if bool(self.property("wrong")) != bool(fault):
            self.setProperty("wrong", bool(fault))
            self.style().unpolish(self)
            self.style().polish(self)
        self.setToolTip(fault)
        self.wrong.emit(fault)


class Note(QLabel):
    """A line that says what a control means or did."""

    def __init__(self, text: str = "", parent: QWidget | None = None) -> None:
        super().__init__(text, parent)
        self.setWordWrap(True)
        self.setFont(font(13))
        self.say(text)

    def say(self, text: str, fault: bool = False) -> None:
        """Show `text`; a fault in amber words with a triangle."""
        self.setStyleSheet(f"color: {(AMBER_DEEP if fault else FAINT).name()}")
        self.setText(f"▲ {text}" if fault and text else text)
        if self.parent() is not None or not text:  # shown without a parent it would be a window
            self.setVisible(bool(text))


def leave_space(widget: QWidget) -> None:
    """Let no click on a button inside `widget` take the focus: Space is the table's."""
    for button in widget.findChildren(QAbstractButton):
        button.setFocusPolicy(Qt.FocusPolicy.TabFocus)


def sentence(text: str) -> str:
    """Return `text` as a sentence: a capital (not for a file's name) and a full stop."""
    word = text.split(" ", 1)[0]
    start = text[:1].upper() if word.isalpha() else text[:1]
    return start + text[1:] + ("" if text.endswith((".", "!")) else ".")


def heading(text: str, parent: QWidget | None = None) -> QLabel:
    """Return a control's name."""
    label = QLabel(text, parent)
    label.setFont(font(14, QFont.Weight.DemiBold, narrow=True))
    return label


def row(*widgets: QWidget | None) -> QHBoxLayout:
    """Return the widgets side by side; None stretches."""
    layout = QHBoxLayout()
    layout.setSpacing(8)
    for widget in widgets:
        if widget is None:
            layout.addStretch(1)
        else:
            layout.addWidget(widget)
    return layout


def boxed(parent: QWidget, *layouts: QHBoxLayout) -> QWidget:
    """Return a widget that holds rows one below the other, to be shown and hidden together."""
    box = QWidget(parent)
    inside = QVBoxLayout(box)
    inside.setContentsMargins(0, 0, 0, 0)
    for layout in layouts:
        inside.addLayout(layout)
    return box


def clear(layout: QVBoxLayout) -> None:
    """Take all widgets out of a list of lines; they go once their own signals have ended."""
    while (item := layout.takeAt(0)) is not None:
        widget = item.widget()
        if widget is not None:
            widget.hide()
            QTimer.singleShot(0, widget.deleteLater)


def read_number(text: str, unit: str, low: float, high: float, what: str) -> float:
    """Return the number that a field holds, with or without its unit.

    Raises
    ------
    UnitsError
        If it is no number, or not between `low` and `high`.

    """
    bare = text.lower().replace(unit, "").strip().replace(",", ".")
    try:
        value = float(bare)
    except ValueError as error:
        raise UnitsError(
            f"“{text.strip()[:40]}” is not a number of {what}; type {low:g} to {high:g}"
        ) from error
    if not low <= value <= high:
        raise UnitsError(f"{value:g} {unit} cannot be; {what} are {low:g} to {high:g}")
    return value


def rounded(value: float) -> float:
    """Return `value` to two figures, as a person would have typed it."""
    return float(f"{value:.2g}")
