"""The part brought near, where a picture round it takes most of the table."""

from __future__ import annotations

from PySide6.QtCore import QRectF

from silhueta.app.inspecting import can_look
from silhueta.app.table.table import Table
from silhueta.core.inspection.limits import limits_of, sheet_box
from silhueta.core.job import Job

_SMALL = 0.6  # of the table, that the part takes less of: it is brought nearer
_ROUND = 96.0  # px about it then, in which flags, sizes and cards find room


def bring_near(table: Table, job: Job) -> None:
    """Show the part and its sheet large, unless they are, or there is nothing to look at."""
    if not can_look(job) or not job.outline.taken:
        return
    left, bottom, right, top = job.outline.bounds
    box = QRectF(left, bottom, right - left, top - bottom)
    sheet = sheet_box(limits_of(job))
    if sheet is not None:
        box = box.united(QRectF(sheet[0], sheet[1], sheet[2] - sheet[0], sheet[3] - sheet[1]))
    shown = table.view.shown().normalized()
    share = max(box.width() / shown.width(), box.height() / shown.height())
    if share < _SMALL or not shown.contains(box):
        table.view.fit(box, _ROUND)
        table.zoom_by(1.0)
