"""The readout: live figures, large enough to be read from a step away."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFont, QFontMetricsF, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from silhueta.app.look.theme import BAND, CHALK, PENCIL, SCRIBED, font
from silhueta.app.planning import clock
from silhueta.app.session import Session
from silhueta.core.datum.fixing import present_mm_per_px, true_size
from silhueta.core.job import Job
from silhueta.core.units import MM_PER_UNIT, Unit

if TYPE_CHECKING:
    from silhueta.app.stops.cut_file.rehearsal_layer import RehearsalLayer
    from silhueta.core.cutting.timing import Times

_HIGH = 62
Group = list[tuple[str, str, str]]  # name, figure, unit


class Readout(QWidget):
    """Where, how big, how sound, how long to cut."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(_HIGH)
        self.setAccessibleName("Readout")
        self._session = session
        self._cursor: QPointF | None = None
        self._sigma: tuple[float, float] | None = None
        self._photo_mm: float | None = None  # per px, while a tilted photo is shown
        self._figures: list[Group] = []
        self._layer: RehearsalLayer | None = None  # what is seen of a rehearsal
        self._times: Times | None = None  # what the cut plan comes to, where it is shown
        session.job_changed.connect(self.refresh)
        self.refresh(session.job)

    def set_cursor(self, mm: QPointF | None) -> None:
        """Show where the cursor is on the table."""
        self._cursor = mm
        self.update()

    def set_sigma(self, sigma: tuple[float, float] | None) -> None:
        """Take how sure width and height are: two standard uncertainties, mm."""
        if sigma != self._sigma:
            self._sigma = sigma
            self.refresh(self._session.job)

    def show_photo(self, mm_per_px: float | None) -> None:
        """Tell places in pixels while a photo is shown that is not at true size."""
        self._photo_mm = mm_per_px
        self.update()

    def show_times(self, times: Times | None) -> None:
        """Show what the cut plan comes to, in place of nodes and segments; None: as usual."""
        if times != self._times:
            self._times = times
            self.refresh(self._session.job)

    def show_rehearsal(self, layer: RehearsalLayer | None) -> None:
        """Show where a rehearsed file is; None: as usual."""
        if layer is None and self._layer is None:
            return
        self._layer = layer
        self.update()

    def refresh(self, job: Job) -> None:
        """Work the figures out from the job."""
        if not job.outline.taken:
            self._figures = []
        else:
            from silhueta.core.inspection.figures import outline_figures

            got = outline_figures(job.outline)
            unit, factor, places = self._unit(job)
            width, height = (f"{v / factor:,.{places}f}" for v in got.size_mm)
            sure = [unit, unit]
            if self._sigma is not None and true_size(job):
                waits = " (thickness ?)" if job.optics.thickness_open else ""
                waits = waits or (" (wall ?)" if job.traced and job.traced.wall_mm else "")
                sure = [f"± {v / factor:.{places}f} {unit}{waits}" for v in self._sigma]
            loops = got.outer_loops + got.holes
            self._figures = [
                [("width", width, sure[0]), ("height", height, sure[1])],
                [
                    ("loops", f"{loops} closed", ""),
                    ("open", str(got.open_paths), ""),
                    ("nodes", str(got.nodes), ""),
                    ("segments", str(got.segments), ""),
                ],
                [("cut length", f"{got.cut_length_mm / factor:,.{max(places - 2, 0)}f}", unit)],
            ]
            if self._times is not None:
                self._figures[1:] = _of_plan(self._times, factor, unit, max(places - 2, 0))
        spoken = [
            f"{name} {figure} {unit}" for group in self._figures for name, figure, unit in group
        ]
        self.setAccessibleDescription(", ".join(spoken))
        self.update()

    def _unit(self, job: Job) -> tuple[str, float, int]:
        """Return the unit's name, its mm, and decimals: pixels as long as the size is not known."""
        if not true_size(job):
            return "px", present_mm_per_px(job), 1
        unit = self._session.units
        return unit, MM_PER_UNIT[unit], 2 if unit == "mm" else 3

    def groups(self) -> list[Group]:
        """Return what is shown."""
        unit, factor, places = self._unit(self._session.job)
        if self._layer is not None:
            return _of_rehearsal(self._layer, self._session.units)
        if self._photo_mm is not None:
            unit, factor, places = "px", self._photo_mm, 1
        x = y = "–"
        if self._cursor is not None:
            x, y = (
                f"{self._cursor.x() / factor:.{places}f}",
                f"{self._cursor.y() / factor:.{places}f}",
            )
        return [[("x", x, unit), ("y", y, unit)], *self._figures]

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the groups from the left, small names over large figures."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), BAND)
        small, large = font(13), font(24, QFont.Weight.DemiBold, narrow=True)
        left = 18.0
        for number, group in enumerate(self.groups()):
            if number:
                painter.setPen(QPen(PENCIL, 2))
                painter.drawLine(QPointF(left - 4, 12), QPointF(left - 4, _HIGH - 12))
                left += 14
            for name, figure, unit in group:
                painter.setFont(small)
                painter.setPen(CHALK)
                painter.drawText(QRectF(left, 7, 120, 18), Qt.AlignmentFlag.AlignLeft, name)
                painter.setFont(large)
                painter.setPen(SCRIBED)
                room = 84.0 if name in ("x", "y") else 0.0
                wide = max(QFontMetricsF(large).horizontalAdvance(figure), room - 30)
                painter.drawText(QPointF(left, 50), figure)
                painter.setFont(small)
                painter.setPen(CHALK)
                painter.drawText(QPointF(left + wide + 4, 50), unit)
                tail = QFontMetricsF(small).horizontalAdvance(unit) + 4 if unit else 0.0
                name_wide = QFontMetricsF(small).horizontalAdvance(name)
                left += max(wide + tail, room, name_wide) + 20
        painter.end()


def _of_rehearsal(layer: RehearsalLayer, unit: Unit) -> list[Group]:
    """Return where a rehearsed file is, what it cuts and how long it still takes."""
    now, done = layer.moment, layer.course.done
    factor, places = MM_PER_UNIT[unit], 1 if unit == "mm" else 2
    x, y, _ = now.place
    tool = "torch" if layer.shown.carving is None else "bit"
    feed = f"{now.feed / factor:,.0f} {unit}/min" if now.feed else ""
    cut, whole = (f"{mm / factor:,.{places - 1}f}" for mm in (now.cut_mm, done.cut_mm))
    return [
        [("x", f"{x / factor:.{places}f}", unit), ("y", f"{y / factor:.{places}f}", unit)],
        [(tool, "on" if now.on else "off", feed)],
        [("cut", cut, f"of {whole} {unit}"), ("pierces", str(now.pierces), f"of {done.pierces}")],
        [("time", clock(layer.now), f"of {clock(layer.course.seconds)}")],
    ]


def _of_plan(times: Times, factor: float, unit: str, places: int) -> list[Group]:
    """Return what a cut plan comes to: lengths, pierces, time."""
    return [
        [
            ("cut", f"{times.cut_mm / factor:,.{places}f}", unit),
            ("between", f"{times.rapid_mm / factor:,.{places}f}", unit),
            ("pierces", str(times.pierces), ""),
        ],
        [("time", clock(times.seconds), "")],
    ]
