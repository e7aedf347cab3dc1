"""A page of True up on which edges and holes are picked on the table."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from silhueta.app.session import Session
from silhueta.app.table.feature_tool import FeatureTool
from silhueta.app.widgets import sentence
from silhueta.core.job import Job
from silhueta.core.truing.apply import noise_of
from silhueta.core.truing.features import Feature, Noise

if TYPE_CHECKING:
    from silhueta.app.edit_queue import EditQueue
    from silhueta.app.table.table import Table
    from silhueta.app.tracing import Tracing


class PickingPage(QWidget):
    """Has the table pick, and tells what cannot be done."""

    wrong = Signal(str)  # "" when nothing is any more

    def __init__(
        self,
        session: Session,
        tracing: Tracing,
        table: Table,
        edits: EditQueue,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self._session, self._tracing, self._table, self._edits = session, tracing, table, edits
        self.tool = FeatureTool(self.pick)

    def pick(self, feature: Feature) -> None:
        """Take an edge or hole that was clicked."""
        raise NotImplementedError

    def noise(self, job: Job) -> Noise:
        """Return how far the edges of a job are off."""
        return noise_of(job, self._tracing.flat)

    def attempt(
        self,
        label: str,
        edit: Callable[[Job], Job],
        failed: Callable[[Exception | str], None] = lambda _: None,
    ) -> None:
        """Run an edit as one step, beside the interface; where it cannot be, say why."""

        def told(error: Exception | str) -> None:
            failed(error)
            self.wrong.emit(sentence(str(error)))

        self._edits.do(
            label, lambda job, _: edit(job), done=lambda _: self.wrong.emit(""), failed=told
        )
