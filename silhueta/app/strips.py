"""The bar at the top, what floats on the table, and what is said while work goes on."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path as File

from PySide6.QtCore import QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QFont, QIcon, QPainter, QPaintEvent, QPen, QPixmap
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QSlider,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from silhueta.app.actions import Actions, key_text
from silhueta.app.look.icons import ICONS, icon, paint_icon
from silhueta.app.look.theme import AMBER, BRASS, CARD, FAINT, INK, RULE, font
from silhueta.app.widgets import Choice, sentence
from silhueta.app.work import Bench
from silhueta.core.units import Unit
from silhueta.core.wording import stage_words

_MIDDLE = Qt.TextElideMode.ElideMiddle
_JOB = 104  # px of the picture of a job of late
_RECENT = (
    f"QToolButton {{ background: {CARD.name()}; border: 1px solid {RULE.name()};"
    f" border-radius: 4px; color: {INK.name()}; padding: 4px }}"
    f"QToolButton:hover, QToolButton:focus {{ border: 2px solid {BRASS.name()} }}"
    f"QToolButton:disabled {{ color: {FAINT.name()}; border-style: dashed }}"
)
_LATE = 400  # ms before work that goes on is worth a word


class TopBar(QWidget):
    """Open, Save, Undo, Redo, Find an action, and the unit of what is shown."""

    units_chosen = Signal(str)

    def __init__(self, actions: Actions, parent: QWidget) -> None:
        super().__init__(parent)
        self.setFixedHeight(46)
        self._actions = actions
        layout = QHBoxLayout(self)
        layout.setContentsMargins(14, 0, 14, 0)
        layout.setSpacing(8)
        layout.addSpacing(30)
        name = QLabel("Silhueta", self)
        name.setFont(font(18, QFont.Weight.Bold))
        layout.addWidget(name)
        layout.addSpacing(16)
        self.buttons: dict[str, QPushButton] = {}
        for identifier, text in (
            ("open", "Open"),
            ("save", "Save"),
            ("undo", "Undo"),
            ("redo", "Redo"),
        ):
            layout.addWidget(self._button(identifier, text))
        layout.addStretch(1)
        find = self._button("find", "Find an action    Ctrl+K")
        find.setMinimumWidth(250)
        find.setStyleSheet(f"text-align: left; color: {FAINT.name()}")
        layout.addWidget(find)
        layout.addStretch(1)
        self.units = Choice("Unit", {"mm": "mm", "in": "inch"}, self)
        self.units.setFixedWidth(116)
        self.units.set_chosen("mm")
        self.units.chosen.connect(self.units_chosen)
        layout.addWidget(self.units)

    def _button(self, identifier: str, text: str) -> QPushButton:
        button = QPushButton(text, self)
        button.setObjectName(f"bar-{identifier}")
        button.setAccessibleName(self._actions.action(identifier).text())
        button.clicked.connect(lambda _=False: self._actions.run(identifier))
        self.buttons[identifier] = button
        return button

    def show_units(self, unit: Unit) -> None:
        """Show `unit` as chosen."""
        self.units.set_chosen(unit)

    def refresh(self, undo: str | None, redo: str | None) -> None:
        """Make grey what cannot be done, each with its reason; name what undo takes back."""
        for record in self._actions.all():
            button = self.buttons.get(record.id)
            if button is not None:
                reason = record.why_not()
                button.setEnabled(not reason)
                label = {"undo": undo, "redo": redo}.get(record.id)
                what = f"{record.text}: {reason or label}" if reason or label else record.text
                button.setToolTip(f"{what}   {key_text(record)}")

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the bar with the product's mark."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), CARD)
        painter.setPen(QPen(RULE, 1))
        painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)
        paint_icon(painter, ICONS["silhueta"], QRectF(12, 10, 26, 26), INK)
        painter.end()


class _Floating(QWidget):
    """A small card on the table."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(10, 2, 10, 2)
        self.row.setSpacing(8)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the card."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(RULE, 1))
        painter.setBrush(CARD)
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
        painter.end()


class FadeStrip(_Floating):
    """One slide from the picture to lines only; no mode to forget."""

    changed = Signal(float)  # 0 picture, 1 lines

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.slider = QSlider(Qt.Orientation.Horizontal, self)
        self.slider.setObjectName("fade")
        self.slider.setAccessibleName("From the picture to lines only")
        self.slider.setToolTip("Fade the picture away. Hold Space for the bare picture.")
        self.slider.setRange(0, 100)
        self.slider.setFixedWidth(120)
        self.row.addWidget(QLabel("Picture", self))
        self.row.addWidget(self.slider)
        self.row.addWidget(QLabel("Lines", self))
        self.slider.valueChanged.connect(lambda value: self.changed.emit(value / 100))

    def flip(self) -> None:
        """Go to the other end."""
        self.slider.setValue(0 if self.slider.value() > 50 else 100)


class ZoomStrip(_Floating):
    """Show all, zoom in, zoom out."""

    def __init__(self, actions: Actions, parent: QWidget) -> None:
        super().__init__(parent)
        self.row.setContentsMargins(4, 4, 4, 4)
        self.row.setSpacing(4)
        for identifier, name in (("fit", "fit"), ("zoom_out", "minus"), ("zoom_in", "plus")):
            button = QPushButton(self)
            button.setIcon(icon(name))
            button.setFixedSize(32, 30)
            button.setStyleSheet("padding: 0")
            button.setAccessibleName(actions.action(identifier).text())
            button.setToolTip(actions.action(identifier).text())
            button.clicked.connect(lambda _=False, i=identifier: actions.run(i))
            self.row.addWidget(button)


class StartCard(_Floating):
    """What to do with an empty table; jobs that were open lately."""

    chosen = Signal(str)  # a job file

    def __init__(self, actions: Actions, parent: QWidget) -> None:
        super().__init__(parent)
        column = QVBoxLayout()
        column.setSpacing(8)
        self.row.setContentsMargins(28, 20, 28, 22)
        self.row.addLayout(column)
        head = QLabel("The table is empty", self)
        head.setFont(font(20, QFont.Weight.Bold))
        text = QLabel("Drop a photo or scan of the part here, or open one.", self)
        text.setStyleSheet(f"color: {FAINT.name()}")
        column.addWidget(head)
        column.addWidget(text)
        column.addSpacing(8)
        line = QHBoxLayout()
        for identifier, words in (
            ("open", "Open a picture…"),
            ("demo", "Open the demo job"),
            ("practise", "Try a made-up photo"),
            ("shelf", "Shelf"),
        ):
            button = QPushButton(words, self)
            button.setObjectName(f"start-{identifier}")
            button.clicked.connect(lambda _=False, i=identifier: actions.run(i))
            line.addWidget(button)
        column.addLayout(line)
        self._head = QLabel("Jobs of late", self)
        self._head.setStyleSheet(f"color: {FAINT.name()}")
        self._head.hide()
        column.addSpacing(4)
        column.addWidget(self._head)
        self._recent = QHBoxLayout()
        self._recent.setSpacing(8)
        column.addLayout(self._recent)

    def show_recent(self, files: Sequence[str]) -> None:
        """Offer job files, the last one first."""
        self._head.setVisible(bool(files))
        for name in files:
            button = QToolButton(self)
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            button.setIconSize(QSize(_JOB, _JOB))
            button.setFixedSize(_JOB + 24, _JOB + 38)
            button.setStyleSheet(_RECENT)
            button.setText(button.fontMetrics().elidedText(File(name).stem, _MIDDLE, _JOB + 16))
            button.setObjectName("start-recent")
            button.setToolTip(name)
            button.setAccessibleName(f"Open the job {File(name).stem}")
            button.clicked.connect(lambda _=False, n=name: self.chosen.emit(n))
            self._recent.addWidget(button)
        self._recent.addStretch(1)

    def show_pictures(self, pictures: Mapping[str, bytes]) -> None:
        """Put pictures to the jobs, by their files' names; a file that is no more says so."""
        for button in self.findChildren(QToolButton, "start-recent"):
            data = pictures.get(button.toolTip())
            if data is None:
                button.setEnabled(False)
                button.setToolTip(f"{button.toolTip()} is not there any more")
                continue
            picture = QPixmap()
            if picture.loadFromData(data):
                button.setIcon(QIcon(picture))


class ProgressStrip(QWidget):
    """What is under way, how far, and a way to stop it; seen only when it takes a while."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setFixedHeight(40)
        self._text = QLabel(self)
        self._bar = QProgressBar(self)
        self._bar.setRange(0, 100)
        self._bar.setTextVisible(False)
        self._bar.setFixedHeight(8)
        self._bar.setStyleSheet(
            f"QProgressBar {{ background: {RULE.name()}; border: none; border-radius: 4px }}"
            f"QProgressBar::chunk {{ background: {BRASS.name()}; border-radius: 4px }}"
        )
        self.stop = QPushButton("Stop", self)
        self.stop.setObjectName("stop-work")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(12, 2, 12, 2)
        layout.addWidget(self._text)
        layout.addWidget(self._bar, 1)
        layout.addWidget(self.stop)
        self._late = QTimer(self)
        self._late.setSingleShot(True)
        self._late.setInterval(_LATE)
        self._late.timeout.connect(self.show)
        self._benches: list[Bench] = []
        self.stop.clicked.connect(self._stop)
        self.hide()

    def follow(self, bench: Bench) -> None:
        """Show the progress of `bench`."""
        self._benches.append(bench)
        bench.began.connect(self._begin)
        bench.progressed.connect(self._step)
        bench.ended.connect(self._end)

    def _begin(self, label: str) -> None:
        self._text.setText(f"{label}…")
        self._bar.setValue(0)
        if self.isHidden():
            self._late.start()

    def _step(self, stage: str, share: float) -> None:
        self._text.setText(f"{stage_words(stage)} …")
        self._bar.setValue(int(100 * share))

    def _end(self) -> None:
        if not any(bench.busy for bench in self._benches):
            self._late.stop()
            self.hide()

    def _stop(self) -> None:
        for bench in self._benches:
            bench.stop()


class NoticeStrip(QWidget):
    """A sentence about what went wrong and what to do, until it is put away."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._text = QLabel(self)
        self._text.setObjectName("notice")
        self._text.setWordWrap(True)
        self._text.setFont(font(14, QFont.Weight.Medium))
        self._text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.close_button = QPushButton(self)
        self.close_button.setIcon(icon("close"))
        self.close_button.setFixedSize(32, 30)
        self.close_button.setStyleSheet("padding: 0")
        self.close_button.setAccessibleName("Put this message away")
        self.close_button.clicked.connect(self.hide)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(20, 8, 10, 8)
        layout.addWidget(self._text, 1)
        layout.addWidget(self.close_button)
        self.hide()

    @property
    def text(self) -> str:
        """What is said, or ""."""
        return "" if self.isHidden() else self._text.text()

    def say(self, text: str) -> None:
        """Say it."""
        self._text.setText(f"▲ {sentence(text)}")
        self._text.setAccessibleName(sentence(text))
        self.show()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint paper with an amber bar."""
        painter = QPainter(self)
        painter.fillRect(self.rect(), CARD)
        painter.fillRect(QRectF(0, 0, 6, self.height()), AMBER)
        painter.end()
