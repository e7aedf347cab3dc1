"""What the parts of the Trace worksheet share: they change the settings, and pick places."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from silhueta.app.session import Session
from silhueta.app.table.table import Table
from silhueta.app.tracing import Tracing
from silhueta.app.work import Bench
from silhueta.core.errors import SilhuetaError
from silhueta.core.job import set_trace


class TracePart(QWidget):
    """Reads the job in its own refresh; writes it through :meth:`_set`."""

    wrong = Signal(str)  # what is wrong, or "" when it no longer is

    def __init__(
        self, session: Session, tracing: Tracing, table: Table, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._session, self._tracing, self._table = session, tracing, table
        self.bench = Bench(self)
        self.bench.failed.connect(self.wrong)

    def _set(self, label: str, merge: str = "", **changes: Any) -> None:
        try:
            self._session.apply(
                label, lambda job: set_trace(job, replace(job.trace, **changes)), merge
            )
        except SilhuetaError as error:
            self.wrong.emit(str(error))

    def _in_photo(self, points: list[tuple[float, float]]) -> list[tuple[float, float]]:
        """Return picked places of what the table shows as px of the photo."""
        import numpy as np

        flat = self._tracing.flat
        if flat is None or self._table.tilted:
            return points
        moved = flat.to_source(np.array(points, np.float64)).round(2).tolist()
        return [(float(x), float(y)) for x, y in moved]
