"""The dialog of jobs that were left: each with its picture and what can become of it."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QDateTime, QLocale, Qt
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from silhueta.app.look.theme import FAINT, font

if TYPE_CHECKING:
    from silhueta.app.recovery import Recovery
    from silhueta.core.keep.recover import Left

_PICTURE = 84  # px of a job's picture in the list
_SHOWN = 3  # jobs that are seen without scrolling


class LeftDialog(QDialog):
    """The jobs that were left, each with its picture and what can become of it."""

    def __init__(self, left: list[Left], recovery: Recovery, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("left-behind")
        self.setWindowTitle("Silhueta")
        self.unanswered = [one for one in left if one.back is not None]
        self._recovery = recovery
        head = QLabel("Silhueta was stopped before these jobs were saved", self)
        head.setFont(font(18))
        head.setWordWrap(True)
        text = QLabel("Nothing is lost: each is as it was at its last step.", self)
        text.setStyleSheet(f"color: {FAINT.name()}")
        inner = QWidget(self)
        self._rows = QVBoxLayout(inner)
        self._rows.setContentsMargins(0, 0, 8, 0)
        for one in left:
            self._rows.addWidget(_LeftRow(one, self))
        self._rows.addStretch(1)
        scroll = QScrollArea(self)
        scroll.setWidgetResizable(True)
        scroll.setWidget(inner)
        scroll.setMinimumHeight((_PICTURE + 24) * min(len(left), _SHOWN) + 8)
        later = QPushButton("Later", self)
        later.setObjectName("left-later")
        later.setToolTip("They stay; Find an action, “Bring back jobs that were left”, shows them")
        later.clicked.connect(self.reject)
        foot = QHBoxLayout()
        foot.addStretch(1)
        foot.addWidget(later)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 20, 24, 16)
        column.setSpacing(10)
        column.addWidget(head)
        column.addWidget(text)
        column.addWidget(scroll, 1)
        column.addLayout(foot)
        self.resize(720, 0)

    def answer(self, row: _LeftRow, what: Callable[[Left], object]) -> None:
        """Do what was chosen of a job, and put it off the list when that is done."""
        if what(row.left) is False:
            return
        self.unanswered = [one for one in self.unanswered if one is not row.left]
        row.hide()
        if what == self._recovery.go_on or not self.unanswered:
            self.accept()


class _LeftRow(QWidget):
    """One job that was left."""

    def __init__(self, left: Left, dialog: LeftDialog) -> None:
        super().__init__(dialog)
        self.left, self._dialog = left, dialog
        picture = QLabel(self)
        picture.setFixedSize(_PICTURE, _PICTURE)
        shown = QPixmap()
        if left.picture and shown.loadFromData(left.picture):
            picture.setPixmap(
                shown.scaled(
                    _PICTURE,
                    _PICTURE,
                    Qt.AspectRatioMode.KeepAspectRatio,
                    Qt.TransformationMode.SmoothTransformation,
                )
            )
        words = QVBoxLayout()
        words.setSpacing(2)
        name = QLabel(self)
        name.setFont(font(15))
        detail = QLabel(self)
        detail.setWordWrap(True)
        detail.setStyleSheet(f"color: {FAINT.name()}")
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 6, 0, 6)
        line.addWidget(picture)
        words.addStretch(1)
        words.addWidget(name)
        words.addWidget(detail)
        words.addStretch(1)
        line.addLayout(words, 1)
        if left.back is None:
            name.setText("Cannot be brought back")
            detail.setText(left.wrong)
            return
        name.setText(left.back.history.job.name)
        detail.setText(_told(left))
        recovery = dialog._recovery
        for key, title, what in (
            ("go-on", "Go on", recovery.go_on),
            ("save", "Save elsewhere…", recovery.save_elsewhere),
            ("drop", "Throw away", recovery.throw_away),
        ):
            button = QPushButton(title, self)
            button.setObjectName(f"left-{key}")
            button.setAccessibleName(f"{title}: {left.back.history.job.name}")
            button.clicked.connect(lambda _=False, b=button, w=what: self._chosen(b, w))
            line.addWidget(button)

    def _chosen(self, button: QPushButton, what: Callable[[Left], object]) -> None:
        """Do what was chosen; what cannot be taken back is asked once more, at the button."""
        sure = "Yes, throw away"
        if button.objectName() == "left-drop" and button.text() != sure:
            button.setText(sure)
            return
        self._dialog.answer(self, what)


def _told(left: Left) -> str:
    """Return when a job was left, and after which step."""
    assert left.back is not None
    when = QDateTime.fromSecsSinceEpoch(int(left.back.at))
    told = QLocale().toString(when, QLocale.FormatType.ShortFormat)
    last = left.back.last
    step = f", after “{last}”" if last else ""
    torn = "; its very last moment is missing" if left.back.torn else ""
    return f"{told}{step}{torn}"
