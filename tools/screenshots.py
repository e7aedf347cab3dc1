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

from silhueta.app.main import application, work_done
from silhueta.app.stops.build.sheet import BuildSheet
from silhueta.app.stops.cut_file.sheet import CutFileSheet
from silhueta.app.stops.inspect.sheet import InspectSheet
from silhueta.app.stops.tidy.sheet import TidySheet
from silhueta.app.stops.trace.sheet import TraceSheet
from silhueta.app.stops.true_up.sheet import TrueUpSheet
from silhueta.app.window import Window
from silhueta.core.build.edits import put
from silhueta.core.build.lettering import Lettering, lettered
from silhueta.core.build.shapes import rectangle
from silhueta.core.cutting.edits import set_operation, with_tools
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.geometry.nesting import reverse_loop
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import circle_loop
from silhueta.core.geometry.transform import shifted
from silhueta.core.inspect_settings import Limits
from silhueta.core.job import Job, set_imported, set_inspect, set_plan
from silhueta.core.plan_settings import Tool
from tools import keeping

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
    _photos(window, shot)
    _drawings(window, shot)
    window.session.mark_saved(window.session.job, Path("x"))
    window.close()
    _build(folder)
    _sign(folder)
    keeping.grab(folder)


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
    _plan(window, shot)
    window.session.mark_saved(window.session.job, Path("x"))
    window.filing.open_demo("cover")
    work_done(window)
    work_done(window)
    window.go("scale")
    shot("gauge")


def _plan(window: Window, shot: Callable[[str], None]) -> None:
    """Grab the plan of the strap, one cut chosen, and its program, rehearsed half way."""
    window.go("cut_file")
    sheet = window.sheets["cut_file"]
    assert isinstance(sheet, CutFileSheet)
    _planned(window)
    sheet.plan_page.list.chosen.emit(0)
    _planned(window)
    shot("cut-file")
    sheet.show_page("file")
    sheet.file_page.format.button("nc").click()
    _planned(window)
    _planned(window)
    _rehearsed(window, sheet, 0.62)
    shot("rehearsal")
    sheet.show_page("plan")


def _sign(folder: Path) -> None:
    """Grab a wooden sign while it is rehearsed: pockets, a name in V-grooves, a rim with tabs."""
    window = Window()
    window.resize(1280, 800)
    window.show()
    fields = [
        rectangle(260, 180, 0, (-150, 60)),
        circle_loop((-150, 60), 45),
        rectangle(240, 180, 0, (160, 60)),
    ]
    name = lettered(Lettering("Porto Lume", 50.0, "Slab"))
    left, bottom, right, _ = bounding_box(name)
    name = [shifted(loop, (-(left + right) / 2, -140 - bottom)) for loop in name]
    loops = [rectangle(680, 400, 40), *fields, *name]
    job = set_imported(
        Job(), Outline(tuple(Contour(loop, origin="imported") for loop in loops)), "Wooden sign"
    )
    job = set_inspect(job, Limits("router", 12.0, 6.35, (700.0, 420.0), material="plywood"))
    job = set_operation(job, [2, 3, 4], "pocket")
    job = set_operation(job, list(range(5, 5 + len(name))), "vgroove")
    bits = (Tool(1, "flat", 6.35), Tool(2, "vbit", 12.7, 60.0), Tool(3, "flat", 6.35, zero="table"))
    window.session.start(set_plan(job, with_tools(job.plan, bits)))
    window.go("cut_file")
    sheet = window.sheets["cut_file"]
    assert isinstance(sheet, CutFileSheet)
    sheet.show_page("file")
    _planned(window)
    sheet.file_page.format.button("nc").click()
    _planned(window)
    _rehearsed(window, sheet, 0.62)
    _grabber(window, folder)("rehearsal-sign")
    window.session.mark_saved(window.session.job, Path("x"))
    window.close()


def _rehearsed(window: Window, sheet: CutFileSheet, share: float) -> None:
    """Rehearse the present job's file, and go so far."""
    sheet.show_page("rehearsal")
    while sheet.rehearsal_page.layer is None:
        _planned(window)
    sheet.player.go(share * sheet.player.seconds)


def _planned(window: Window) -> None:
    for _ in range(3):
        QTest.qWait(150)
        work_done(window)


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
    for which in ("emblem", "heron"):
        window.session.mark_saved(window.session.job, Path("x"))
        window.filing.open_demo(which)
        work_done(window)
        work_done(window)
        window.go("trace")
        sheet = window.sheets["trace"]
        assert isinstance(sheet, TraceSheet)
        sheet.more_button.setChecked(True)
        work_done(window)
        if which == "heron":
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
