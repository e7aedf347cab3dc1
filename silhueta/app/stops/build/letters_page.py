"""Part of the Build worksheet: words as outlines."""

from __future__ import annotations

from pathlib import Path as File
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFileDialog, QPlainTextEdit

from silhueta.app.stops.build.page import BuildPage, Edit, Made
from silhueta.app.widgets import Choice, Note, Select, row, sentence
from silhueta.core.build.edits import set_words
from silhueta.core.build.fonts import SHIPPED, installed
from silhueta.core.build.lettering import crowded
from silhueta.core.job import Job
from silhueta.core.words import Lettering, Words

if TYPE_CHECKING:
    from silhueta.app.stops.build.sheet import BuildSheet

_OTHER = "Another file…"


class LettersPage(BuildPage):
    """What is typed, and how it is set; words that are chosen on the table are set anew."""

    def __init__(self, sheet: BuildSheet) -> None:
        super().__init__(sheet)
        self.text = QPlainTextEdit(self)
        self.text.setAccessibleName("Words")
        self.text.setObjectName("words")
        self.text.setPlaceholderText("Andorinha")
        self.text.setFixedHeight(58)
        self.text.setTabChangesFocus(True)
        self.font_ = Select(self)
        self.font_.setAccessibleName("Font")
        self.font_.setObjectName("font")
        self.font_.setSizeAdjustPolicy(
            Select.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        self.font_.setMinimumContentsLength(14)
        self.font_.addItems([font.name for font in SHIPPED])
        self.font_.addItem(_OTHER)
        self.cap = self.length("Capitals high", 60.0)
        self.spacing = self.length("More between letters", 0.0, signed=True)
        self.arc = Choice("On a circle", {"no": "Straight", "over": "Over", "under": "Under"}, self)
        self.arc.set_chosen("no")
        self._arc = "no"
        self.circle = self.length("Circle", 200.0)
        self.set = self.deed(
            "Set the words", "set-words", "As outlines; they stay text", self._edit
        )
        self.about = Note(parent=self)
        self._shown: Words | None = None
        inside = self.inside
        inside.addWidget(self.title("Words"))
        inside.addWidget(self.text)
        inside.addLayout(row(self.title("Font"), self.font_))
        inside.addLayout(row(self.title("Capitals high"), None, self.cap))
        inside.addLayout(row(self.title("More between letters"), None, self.spacing))
        inside.addWidget(self.arc)
        inside.addLayout(row(self.title("Circle"), None, self.circle))
        inside.addWidget(self.set)
        inside.addWidget(self.about)
        self.inside.addStretch(1)
        self.arc.chosen.connect(self._choose_arc)
        self.font_.activated.connect(self._choose_font)
        self._list_installed()

    def _list_installed(self) -> None:
        for name in sorted(installed(), key=str.lower)[:200]:
            self.font_.insertItem(self.font_.count() - 1, name)

    def _choose_arc(self, key: str) -> None:
        self._arc = key
        self.refresh(self.sheet.session.job)

    def _choose_font(self, _: int) -> None:
        if self.font_.currentText() != _OTHER:
            return
        name, _kind = QFileDialog.getOpenFileName(self, "A font", "", "Fonts (*.ttf *.otf *.ttc)")
        self.font_.setCurrentIndex(0)
        if name:
            self.font_.insertItem(0, File(name).stem, name)
            self.font_.setCurrentIndex(0)

    def _edit(self) -> Edit:
        way = {"no": 0.0, "over": 1.0, "under": -1.0}[self._arc]
        lettering = Lettering(
            self.text.toPlainText(),
            self.values["Capitals high"],
            str(self.font_.currentData() or self.font_.currentText()),
            self.values["More between letters"],
            way * self.values["Circle"],
        )
        keys = self.sheet.keys

        def edit(job: Job) -> Made:
            told = crowded(lettering)
            return Made(set_words(job, lettering, keys), sentence(told), bool(told))

        return edit

    def refresh(self, job: Job) -> None:
        """Show the words that are chosen."""
        keys = set(self.sheet.keys)
        words = next((w for w in job.words if keys & set(w.keys)), None)
        if words is not None and words != self._shown:
            told = words.lettering
            self.text.setPlainText(told.text)
            place = self.font_.findText(told.font)
            self.font_.setCurrentIndex(max(place, 0))
            self.values["Capitals high"] = told.cap_height
            self.values["More between letters"] = told.spacing
            self._arc = "no" if not told.arc else "over" if told.arc > 0 else "under"
            self.arc.set_chosen(self._arc)
            self.values["Circle"] = abs(told.arc) or self.values["Circle"]
        self._shown = words
        self.set.setText("Set them anew" if words is not None else "Set the words")
        super().refresh(job)
        self.circle.setEnabled(self._arc != "no")
        self.circle.setToolTip("" if self._arc != "no" else "the words stand on a straight line")
        self.about.say(
            "These words are text still."
            if words is not None
            else "Click words on the table to type them anew."
            if job.words
            else ""
        )
