"""Part of the Build worksheet: sections for the bed, pieces on sheets, colours as layers."""

from __future__ import annotations

from typing import TYPE_CHECKING, cast

from PySide6.QtWidgets import QPushButton

from silhueta.app.stops.build.page import BuildPage, Edit, Made
from silhueta.app.widgets import Choice, Field, Note, row, sentence
from silhueta.core.build.layers import layered
from silhueta.core.build.layout import beds, divide, on_sheet, pieces
from silhueta.core.build.sections import Joint
from silhueta.core.build.sheet import Sheet
from silhueta.core.errors import EditError, SilhuetaError
from silhueta.core.geometry.outline import Outline
from silhueta.core.job import Job
from silhueta.core.units import format_length, parse_length
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.app.stops.build.sheet import BuildSheet


class DividePage(BuildPage):
    """Cuts what is larger than the bed, lays out what is to be cut, saves it apart."""

    def __init__(self, sheet: BuildSheet) -> None:
        super().__init__(sheet)
        self.wide, self.high = self.length("Bed width", 600.0), self.length("Bed height", 400.0)
        self.joint = Choice(
            "Joint", {"straight": "Straight", "step": "Step", "tongue": "Tongue"}, self
        )
        self.joint.set_chosen("straight")
        self._joint = "straight"
        self.joint.chosen.connect(self._choose_joint)
        self.clearance = self.length("Clearance", 0.1, wide=74)
        self.at = Field("Joints at", self._read_places, self)
        self.at.setFixedWidth(86)
        self.at.setPlaceholderText("where clear")
        self.at.setToolTip("From the left, such as 300; 620. Empty: where they are clear")
        self._at: tuple[float, ...] = ()
        self.at.typed.connect(self._choose_places)
        self.at.wrong.connect(sheet.tell)
        self.cut = self.deed(
            "Cut into sections", "cut-sections", "Each fits the bed", self._sections
        )
        self.margin, self.gap = self.length("Margin", 5.0), self.length("Spacing", 5.0)
        self.count = self.number("of each", 1, 1, 1000)
        self.place = self.deed(
            "Place on sheets", "place", "Close together, on sheets as large as the bed", self._place
        )
        self.apart = QPushButton("Save one file a piece…", self)
        self.apart.setObjectName("save-pieces")
        self.apart.clicked.connect(self._save_pieces)
        self.trap = self.length("Overlap", 0.5)
        self.base = Choice("Base", {"base": "On a base", "none": "No base"}, self)
        self.base.set_chosen("base")
        self._base = True
        self.base.chosen.connect(self._choose_base)
        self.flip = Choice("Seen", {"front": "From the front", "back": "Mirrored"}, self)
        self.flip.set_chosen("front")
        self._flip = False
        self.flip.chosen.connect(self._choose_flip)
        self.colours = QPushButton("Save one file a colour…", self)
        self.colours.setObjectName("save-colours")
        self.colours.clicked.connect(self._save_colours)
        self.about = Note(parent=self)
        inside = self.inside
        inside.addLayout(row(self.title("Bed, sheet"), None, self.wide, self.high))
        inside.addWidget(self.joint)
        inside.addLayout(row(self.title("Clear"), self.clearance, self.title("at"), None, self.at))
        inside.addWidget(self.cut)
        inside.addWidget(self.about)
        inside.addLayout(row(self.title("Margin, spacing"), None, self.margin, self.gap))
        inside.addLayout(row(self.count, self.title("of each"), None, self.place))
        inside.addWidget(self.apart)
        inside.addLayout(row(self.title("Colours overlap by"), None, self.trap))
        inside.addWidget(self.base)
        inside.addWidget(self.flip)
        inside.addWidget(self.colours)
        inside.addStretch(1)

    def _choose_joint(self, key: str) -> None:
        self._joint = key

    def _read_places(self, text: str) -> object:
        units = self.sheet.session.units
        return tuple(parse_length(part, units) for part in text.split(";") if part.strip())

    def _choose_places(self, places: object) -> None:
        self._at = places if isinstance(places, tuple) else ()
        self.refresh(self.sheet.session.job)

    def _choose_base(self, key: str) -> None:
        self._base = key == "base"

    def _choose_flip(self, key: str) -> None:
        self._flip = key == "back"

    @property
    def _bed(self) -> tuple[float, float]:
        wide, high = self.values["Bed width"], self.values["Bed height"]
        if not (wide and high):
            raise EditError("type the width and the height of the bed first")
        return wide, high

    def _sections(self) -> Edit:
        bed, joint = self._bed, cast("Joint", self._joint)
        clearance = self.values["Clearance"] if joint != "straight" else 0.0
        places = self._at or None

        def cut(job: Job) -> Made:
            made, doubts = divide(job, bed, joint, clearance, places)
            return Made(made, sentence(doubts[0]) if doubts else "", bool(doubts))

        return cut

    def _place(self) -> Edit:
        sheet = Sheet(*self._bed, self.values["Margin"], self.values["Spacing"])
        count = round(self.values["of each"])

        def placed(job: Job) -> Made:
            made, fill = on_sheet(job, sheet, count)
            full = " and ".join(f"{100 * share:.0f} %" for share in fill)
            told = f"{counted(len(fill), 'sheet')}, {full} full."
            return Made(made, told, beds=beds(sheet, len(fill)))

        return placed

    def _save_pieces(self) -> None:
        job = self.sheet.session.job
        try:
            found = pieces(job)
        except SilhuetaError as error:
            self.sheet.tell(str(error))
            return
        self.sheet.save_apart.emit(
            [(str(number), Outline(tuple(piece))) for number, piece in enumerate(found, 1)]
        )

    def _save_colours(self) -> None:
        job = self.sheet.session.job
        trap, base, flip = self.values["Overlap"], self._base, self._flip

        def made() -> list[tuple[str, Outline]]:
            every = layered(job.outline, trap, base, flip)
            return [(layer.name, layer.outline) for layer in every]

        self.sheet.save_apart.emit(made)

    def refresh(self, job: Job) -> None:
        """Show what can be saved apart."""
        super().refresh(job)
        units = self.sheet.session.units
        self.at.show_value("; ".join(format_length(x, units).split()[0] for x in self._at))
        colours = sum(colour is not None for colour, _ in job.outline.groups)
        self.colours.setEnabled(colours > 0)
        self.colours.setToolTip(
            "" if colours else "the outline has no colours; split the picture by colours at Trace"
        )
        self.apart.setEnabled(bool(job.outline.loops))
        self.apart.setToolTip("" if job.outline.loops else "there is no closed outline yet")
        self.about.say(*self.sheet.told)
