"""A real window on the offscreen platform."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog, QLineEdit, QMessageBox

from silhueta.app.look.theme import apply_theme
from silhueta.app.window import Window
from silhueta.core.geometry.measure import bounding_box


class Hand:
    """A person's hand: mouse and keys on the real window."""

    def __init__(self, window: Window, wait: Callable[[Callable[[], bool]], None]) -> None:
        self.window = window
        self.wait = wait
        self.answer: Path | None = None  # what the next file dialog gives

    def settle(self) -> None:
        """Wait until nothing is under way."""
        window = self.window
        QTest.qWait(30)
        self.wait(lambda: not any(bench.busy for bench in window.benches))
        QTest.qWait(10)

    def open(self, file: Path) -> None:
        """Open a file by key and dialog."""
        self.answer = file
        self.key(Qt.Key.Key_O, Qt.KeyboardModifier.ControlModifier)
        self.settle()

    def key(
        self, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier
    ) -> None:
        """Press a key where the focus is."""
        target = self.window.focusWidget() or self.window
        QTest.keyClick(target, key, modifier)

    def click(self, name: str) -> None:
        """Click the button of that object name, in the worksheet that is open or elsewhere."""
        found = self.window.sheets.currentWidget().findChild(object, name) or self.window.findChild(
            object, name
        )
        assert found is not None, f"no control is called {name}"
        assert found.isVisible(), f"{name} is not to be seen"
        QTest.mouseClick(found, Qt.MouseButton.LeftButton)

    def type(self, field: QLineEdit, text: str) -> None:
        """Type a value and Enter."""
        field.setFocus()
        field.selectAll()
        QTest.keyClicks(field, text)
        QTest.keyClick(field, Qt.Key.Key_Return)

    def at(self, x: float, y: float) -> QPoint:
        """Where a place of the picture (px) is on the table."""
        return self.window.table.from_pixel(QPointF(x, y)).toPoint()

    def click_picture(self, x: float, y: float) -> None:
        """Click on a place of the picture, px."""
        QTest.mouseMove(self.window.table, self.at(x, y))
        QTest.mouseClick(self.window.table, Qt.MouseButton.LeftButton, pos=self.at(x, y))


@pytest.fixture
def hand(qtbot, qapp, wait, monkeypatch) -> Iterator[Hand]:
    apply_theme(qapp)
    window = Window()
    window.show()
    qtbot.waitExposed(window)
    window.activateWindow()
    qtbot.waitUntil(window.isActiveWindow)  # keys go to the active window alone
    made = Hand(window, wait)

    def answer(*_: object, **__: object) -> tuple[str, str]:
        return (str(made.answer) if made.answer is not None else "", "")

    def unasked(box: QMessageBox) -> int:
        pytest.fail(f"a question nobody expected: {box.text()}")

    monkeypatch.setattr(QMessageBox, "exec", unasked)
    monkeypatch.setattr(QFileDialog, "getOpenFileName", answer)
    monkeypatch.setattr(QFileDialog, "getSaveFileName", answer)
    yield made
    window.may_leave = lambda: True  # no question at the end, whatever a test left undone
    window.close()
    window.deleteLater()


def size(hand) -> tuple[float, float]:
    """Return width and height of the present outline, mm."""
    left, bottom, right, top = bounding_box(hand.window.session.job.outline.taken)
    return right - left, top - bottom
