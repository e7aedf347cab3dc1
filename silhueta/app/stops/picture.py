"""Worksheet of the stop Picture."""

from __future__ import annotations

from PySide6.QtWidgets import QLabel, QPushButton, QWidget

from silhueta.app.session import Session
from silhueta.app.stops.worksheet import Worksheet
from silhueta.app.tracing import Tracing
from silhueta.app.widgets import Note, heading
from silhueta.core.job import Job
from silhueta.core.picture.formats import FORMATS


class PictureSheet(Worksheet):
    """Open a picture, and see what it is."""

    def __init__(self, session: Session, tracing: Tracing, parent: QWidget | None = None) -> None:
        super().__init__(session, "Picture", "Which photo or scan shows the part?", parent)
        self._tracing = tracing
        self.open = QPushButton("Open a picture…", self)
        self.open.setObjectName("open-picture")
        kinds = ", ".join(name if name != "WEBP" else "WebP" for name in FORMATS)
        self.body.addWidget(self.open)
        self.body.addWidget(Note(f"Or drop one on the window. {kinds}."))
        self._facts = {name: QLabel(self) for name in ("File", "Size", "The file says")}
        self._headings = [heading(name) for name in self._facts]
        for title, (name, label) in zip(self._headings, self._facts.items(), strict=True):
            label.setWordWrap(True)
            label.setAccessibleName(name)
            self.body.addWidget(title)
            self.body.addWidget(label)
        self.advice = Note()
        self.body.addWidget(self.advice)
        self.next.clicked.connect(self._on_next)
        self.connect_job()

    def refresh(self, job: Job) -> None:
        """Show the picture's facts."""
        picture = self._tracing.picture
        self.open.setText("Open another picture…")
        for widget in (self.open, *self._facts.values(), *self._headings):
            widget.setVisible(picture is not None)
        self.advice.say("")
        if job.picture is None or picture is None:
            self.say_result(
                "A sharp picture, straight from above, with light from all sides, traces best."
            )
            self.set_next("Open a picture…")
            return
        self._facts["File"].setText(f"{job.picture.name} ({picture.format})")
        self._facts["Size"].setText(f"{picture.width:,} × {picture.height:,} pixels")
        told = picture.told_dpi
        if told is None:
            self._facts["The file says"].setText("no dpi: give the scale at the next stop")
        elif picture.dpi is None:
            self._facts["The file says"].setText(
                f"{told:g} dpi, which programs write when they do not know"
            )
        else:
            self._facts["The file says"].setText(f"{told:g} dpi")
        small = min(picture.width, picture.height) < 500
        if small:
            self.advice.say(
                "This picture is small. Scan at 300 dpi or come closer for a clean edge.", True
            )
        self.say_result(
            f"{picture.width * picture.height / 1e6:.1f} megapixels in {_depth(picture.top)}."
        )
        self.set_next("On to Scale")

    def _on_next(self) -> None:
        if self.session.job.picture is None:
            self.open.click()
        else:
            self.go.emit("scale")


def _depth(top: float) -> str:
    return "256 greys" if top == 255 else "65,536 greys"
