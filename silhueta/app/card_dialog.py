"""What a person says of a job before it goes onto the shelf."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLineEdit,
    QPlainTextEdit,
    QVBoxLayout,
    QWidget,
)

from silhueta.core.card import Card, words_typed
from silhueta.core.job import Job


class CardDialog(QDialog):
    """Fields for a job's name and its card."""

    def __init__(self, job: Job, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self.setWindowTitle("Keep on the shelf")
        self.setMinimumWidth(460)
        self._name = self._line("card-name", job.name)
        self._words = self._line("card-words", ", ".join(job.card.words))
        self._words.setPlaceholderText("To find it by: heron, garden")
        self._maker = self._line("card-maker", job.card.maker)
        self._customer = self._line("card-customer", job.card.customer)
        self._description = QPlainTextEdit(job.card.description, self)
        self._description.setObjectName("card-description")
        self._description.setFixedHeight(84)
        self._description.setTabChangesFocus(True)
        form = QFormLayout()
        for words, field in (
            ("Name", self._name),
            ("Words", self._words),
            ("Description", self._description),
            ("Made by", self._maker),
            ("For", self._customer),
        ):
            field.setAccessibleName(words)
            form.addRow(words, field)
        buttons = QDialogButtonBox(self)
        keep = buttons.addButton("Keep it", QDialogButtonBox.ButtonRole.AcceptRole)
        keep.setObjectName("card-keep")
        buttons.addButton("Not now", QDialogButtonBox.ButtonRole.RejectRole)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.setContentsMargins(24, 20, 24, 16)
        column.setSpacing(14)
        column.addLayout(form)
        column.addWidget(buttons)

    def _line(self, name: str, text: str) -> QLineEdit:
        field = QLineEdit(text, self)
        field.setObjectName(name)
        return field

    @property
    def name(self) -> str:
        """The job's name as typed."""
        return self._name.text().strip() or "Untitled"

    @property
    def card(self) -> Card:
        """Its card as typed."""
        return Card(
            self._description.toPlainText().strip(),
            words_typed(self._words.text()),
            self._maker.text().strip(),
            self._customer.text().strip(),
        )
