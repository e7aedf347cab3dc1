"""Take one picture of each main view, from demo data, into docs/screenshots."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton

from silhueta.app.finder import Finder
from silhueta.app.main import application, work_done
from silhueta.app.stops.build.sheet import BuildSheet
from silhueta.app.stops.inspect.sheet import InspectSheet
from silhueta.app.stops.tidy.sheet import TidySheet
from silhueta.app.stops.trace.sheet import TraceSheet
from silhueta.app.stops.true_up.sheet import TrueUpSheet
from silhueta.app.window import Window
from silhueta.core.build.edits import put
from silhueta.core.geometry.nesting import reverse_loop
from silhueta.core.geometry.path import circle_loop
from silhueta.core.inspect_settings import Limits
from silhueta.core.job import set_inspect

FOLDER = Path(__file__).parent.parent / "docs" / "screenshots"


def main(folder: Path = FOLDER) -> None:
    """Drive the window through the demo job and grab it at each stop."""
    folder.mkdir(parents=True, exist_ok=True)
    application()
    window = Window()
    window.resize(1280, 800)
    window.show()

    shot = _grabber(window, folder)
    shot("start")
    window.filing.open_demo()
    work_done(window)
    QTest.mouseMove(window.table, QPoint(430, 330))
    shot("trace")
    window.go("picture")
    shot("picture")
    window.go("scale")
    shot("scale")
    window.go("cut_file")
    shot("cut-file")
    _photos(window, shot)
    _drawings(window, shot)
    window.find_action()
    finder = window.findChild(Finder)
    assert finder is not None
    QTest.keyClicks(finder.field, "un")
    QTest.qWait(80)
    finder.grab().save(str(folder / "find-an-action.png"))
    finder.close()
    window.session.mark_saved(window.session.job, Path("x"))
    window.close()
    _build(folder)


def _grabber(window: Window, folder: Path) -> Callable[[str], None]:
    def shot(name: str) -> None:
        QTest.qWait(80)
        window.grab().save(str(folder / f"{name}.png"))

    return shot


def _photos(window: Window, shot: Callable[[str], None]) -> None:
    """Grab the stops on the two demo photos."""
    window.session.mark_saved(window.session.job, Path("x"))
    window.filing.open_demo("strap")
    work_done(window)
    work_done(window)
    shot("photo-trace")
    window.go("scale")
    shot("photo-scale")
    _true_up(window, shot)
    _inspect(window, shot)
    window.session.mark_saved(window.session.job, Path("x"))
    window.filing.open_demo("cover")
    work_done(window)
    work_done(window)
    window.go("scale")
    shot("gauge")


def _inspect(window: Window, shot: Callable[[str], None]) -> None:
    """Grab Inspect on the strap, with a hole too near to its edge and another too small."""
    left, bottom, right, top = window.session.job.outline.bounds
    wide, high = right - left, top - bottom
    holes = [
        reverse_loop(circle_loop((left + x * wide, bottom + y * high), radius))
        for x, y, radius in ((0.415, 0.66, 4.0), (0.9, 0.6, 2.0))
    ]
    limits = Limits("plasma", 6.0, 1.2, (220.0, 120.0), 10.0, material="steel")
    window.session.apply("Holes", lambda job: put(job, holes))
    window.session.apply("Limits", lambda job: set_inspect(job, limits))
    window.go("inspect")
    sheet = window.sheets["inspect"]
    assert isinstance(sheet, InspectSheet)
    for _ in range(3):
        QTest.qWait(150)
        work_done(window)
    sheet.choose(next(k for k, one in enumerate(sheet.found) if one.code == "thin-web"))
    shot("inspect")
    sheet.show_view("goes")
    work_done(window)
    shot("inspect-goes")


def _true_up(window: Window, shot: Callable[[str], None]) -> None:
    """Grab True up on the strap: what it seems to mean, then what was measured on it."""
    window.go("true_up")
    sheet = window.sheets["true_up"]
    assert isinstance(sheet, TrueUpSheet)
    work_done(window)
    QTest.qWait(200)
    sheet.offers.findChild(QPushButton, "show-straight").click()
    QTest.qWait(50)
    shot("true-up")
    sheet.show_page("calipers")
    table = window.table
    table.show_box(QRectF(160, 105, 215, 95))
    holes = [f for f in sheet.calipers.tool.features if f.kind == "circle"]

    def press(at: tuple[float, float]) -> None:
        place = table.view.to_screen(QPointF(*at)).toPoint()
        QTest.mouseMove(table, place)
        QTest.mouseClick(table, Qt.MouseButton.LeftButton, pos=place)

    press(max(holes, key=lambda f: f.size).centre)
    press(min(holes, key=lambda f: f.size).centre)
    sheet.calipers.what.button("two").click()
    for hole in holes[:2]:
        press(hole.centre)
    for field, text in zip(sheet.calipers.fields[:2], ("22", "8.6"), strict=True):
        field.setText(text)
        field.setModified(True)
        field.editingFinished.emit()
    shot("caliper-list")
    sheet.show_page("offers")
    table.fit()


def _drawings(window: Window, shot: Callable[[str], None]) -> None:
    """Grab Trace on the two demo drawings."""
    for which in ("heron", "emblem"):
        window.session.mark_saved(window.session.job, Path("x"))
        window.filing.open_demo(which)
        work_done(window)
        work_done(window)
        window.go("trace")
        sheet = window.sheets["trace"]
        assert isinstance(sheet, TraceSheet)
        sheet.more_button.setChecked(True)
        work_done(window)
        shot(which)
        sheet.more_button.setChecked(False)
        if which == "heron":
            _tidy(window, shot)


def _tidy(window: Window, shot: Callable[[str], None]) -> None:
    """Grab Tidy on the heron traced with its dust, both edges of the pen line."""
    trace = window.sheets["trace"]
    assert isinstance(trace, TraceSheet)
    trace.more.pen.button("edge").click()
    trace.speck.setText("0.05")
    trace.speck.setModified(True)
    trace.speck.editingFinished.emit()
    work_done(window)
    window.go("tidy")
    tidy = window.sheets["tidy"]
    assert isinstance(tidy, TidySheet)
    work_done(window)
    QTest.mouseMove(tidy.loops.list.viewport(), QPoint(60, 70))
    shot("tidy")
    tidy.page.button("offers").click()
    work_done(window)
    specks = tidy.offers.findChild(QPushButton, "show-specks")
    assert specks is not None
    specks.click()
    shot("tidy-offers")


def _build(folder: Path) -> None:
    """Grab Build with a nameplate about to be tied, and with a panel cut in sections."""
    window = Window()
    window.resize(1280, 800)
    window.show()

    shot = _grabber(window, folder)
    window.go("build")
    sheet = window.sheets["build"]
    assert isinstance(sheet, BuildSheet)

    def press(name: str) -> None:
        button = sheet.findChild(QPushButton, name)
        assert button is not None
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        work_done(window)

    sheet.letters.text.setPlainText("Andorinha")
    sheet.letters.font_.setCurrentText("Slab")
    press("set-words")
    sheet.show_page("shapes")
    sheet.shapes.values["Four holes of"] = 6.0
    sheet.shapes.values["Margin"] = 18.0
    sheet.refresh(window.session.job)
    press("plate-cut-out")
    window.table.fit()
    sheet.show_page("join")
    sheet.look(sheet.join._tie())
    work_done(window)
    shot("build")
    press("tie")
    sheet.show_page("divide")
    sheet.divide.joint.button("tongue").click()
    sheet.divide.values["Bed width"] = 260.0
    press("cut-sections")
    window.table.fit()
    shot("sections")
    window.session.mark_saved(window.session.job, Path("x"))
    window.close()


if __name__ == "__main__":
    main(Path(sys.argv[1]) if len(sys.argv) > 1 else FOLDER)
