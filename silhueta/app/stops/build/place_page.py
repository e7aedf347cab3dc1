"""Part of the Build worksheet: where pieces are: moved, turned, copied, in line; parted; a foot."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QPushButton

from silhueta.app.stops.build.page import BuildPage, Edit
from silhueta.app.widgets import Field, Note, read_number, row, sentence
from silhueta.core.build.edits import (
    Align,
    align,
    copies,
    copies_round,
    group,
    middle_of,
    mirror,
    mirrored_pair,
    move,
    part_at,
    put,
    scale,
    scale_to_width,
    set_aside,
    turn,
    ungroup,
    with_foot,
)
from silhueta.core.build.foot import slot_for
from silhueta.core.errors import EditError
from silhueta.core.job import Job
from silhueta.core.units import format_length, parse_length
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.app.stops.build.sheet import BuildSheet

_ALIGNED: tuple[tuple[Align, str, str], ...] = (
    ("centre", "Centre", "Their middles on the first one's"),
    ("left", "Left", "Their left sides in line with the first one's"),
    ("bottom", "Bottom", "Their lower sides in line with the first one's"),
    ("space across", "Even ↔", "As far apart from left to right"),
    ("space up", "Even ↕", "As far apart from bottom to top"),
)


class PlacePage(BuildPage):
    """What is done with the pieces that are chosen; with all, where none is."""

    def __init__(self, sheet: BuildSheet) -> None:
        super().__init__(sheet)
        self.about = Note(parent=self)
        self.right_by = self.length("Right by", 0.0, signed=True, wide=62)
        self.up_by = self.length("Up by", 0.0, signed=True, wide=62)
        move_ = self.deed("Move", "move", "By so much", self._move)
        self.across = self.number("across", 2, 1, 1000)
        self.up = self.number("up", 1, 1, 1000)
        self.gap = self.length("Gap", 5.0, wide=56)
        self.copy = self.deed("Copy", "copy", "In rows and columns", self._copy)
        self.angle = Field(
            "Turn by", lambda text: read_number(text, "°", -360, 360, "an angle"), self
        )
        self.angle.setFixedWidth(60)
        self.angle.typed.connect(self._turn)
        self.angle.wrong.connect(sheet.tell)
        self.percent = Field("Scale to", self._read_size, self)
        self.percent.setToolTip("Percent, or how wide: 150 %, 400 mm, 12 in")
        self.percent.setFixedWidth(72)
        self.percent.typed.connect(self._scale)
        self.percent.wrong.connect(sheet.tell)
        self.one = self.deed("Group", "group", "Chosen and moved as one from now on", self._group)
        self.apart = self.deed("Ungroup", "ungroup", "Each by itself again", self._ungroup)
        flips = [
            self.deed(text, name, tip, partial(self._mirror, axis))
            for text, name, tip, axis in (
                ("⇆", "mirror-x", "Left and right exchanged", "x"),
                ("⇅", "mirror-y", "Top and bottom exchanged", "y"),
            )
        ]
        for flip in flips:
            flip.setFixedWidth(44)
            flip.setAccessibleName(flip.toolTip())
        self.aligned = {
            how: self.deed(text, f"align-{how.replace(' ', '-')}", tip, partial(self._align, how))
            for how, text, tip in _ALIGNED
        }
        upright = self.deed(
            "Upright", "part-upright", "Through the click", partial(self._part, 90.0)
        )
        level = self.deed("Level", "part-level", "Through the click", partial(self._part, 0.0))
        self.slanted = Field(
            "Part at", lambda text: read_number(text, "°", -360, 360, "an angle"), self
        )
        self.slanted.setFixedWidth(44)
        self.slanted.setToolTip("Through the click, anticlockwise from level")
        self.slanted.typed.connect(self._part_slanted)
        self.slanted.wrong.connect(sheet.tell)
        around = self.deed(
            "Round", "copy-round", "So many evenly round the last click", self._copy_round
        )
        pair = self.deed("Mirrored", "mirrored-pair", "A mirrored copy beside it", self._pair)
        aside = self.deed(
            "Aside",
            "set-aside",
            "A spare copy: it stays, skipped, as it is now",
            lambda: partial(set_aside, keys=self.sheet.keys),
        )
        self.long, self.deep = (
            self.length("Foot length", 30.0, wide=66),
            self.length("Foot depth", 6.0, wide=62),
        )
        self.relief = self.length("Relief", 0.0, wide=62)
        self.thick, self.spare = (
            self.length("Thickness", 3.0, wide=62),
            self.length("Clearance", 0.1, wide=74),
        )
        self.tips = {button: button.toolTip() for button in (self.one, self.apart)}
        self.foot = self.deed(
            "Foot", "foot", "On the straight edge nearest to the last click", self._foot
        )
        self.slot = self.deed("Its slot", "foot-slot", "A piece to drag and subtract", self._slot)
        self._lay_out((around, pair, aside), flips, (upright, level), move_)

    def _lay_out(
        self,
        more: tuple[QPushButton, ...],
        flips: list[QPushButton],
        parted: tuple[QPushButton, ...],
        move_: QPushButton,
    ) -> None:
        inside = self.inside
        inside.addWidget(self.about)
        inside.addLayout(row(self.title("By"), self.right_by, self.up_by, move_))
        inside.addWidget(self.title("Copies across, up, gap"))
        inside.addLayout(row(self.across, self.up, self.gap, self.copy))
        inside.addLayout(row(*more))
        inside.addLayout(row(self.title("Turn by"), self.angle, *flips, None))
        inside.addLayout(row(self.title("Scale to"), self.percent, None))
        inside.addLayout(row(self.one, self.apart))
        one, two, three, four, five = self.aligned.values()
        inside.addLayout(row(one, two, three))
        inside.addLayout(row(four, five))
        inside.addLayout(row(self.title("Part at"), self.slanted, *parted))
        inside.addWidget(self.title("Foot: length, depth, relief"))
        inside.addLayout(row(self.long, self.deep, self.relief, None))
        inside.addWidget(self.title("Slot for it: thickness, clearance"))
        inside.addLayout(row(self.thick, self.spare, None))
        inside.addLayout(row(self.foot, self.slot))
        inside.addStretch(1)

    def _move(self) -> Edit:
        x, y, keys = self.values["Right by"], self.values["Up by"], self.sheet.keys
        return lambda job: move(job, keys, x, y)

    def _copy(self) -> Edit:
        across, up = round(self.values["across"]), round(self.values["up"])
        gap, keys = self.values["Gap"], self.sheet.keys
        return lambda job: copies(job, keys, across, up, gap)

    def _copy_round(self) -> Edit:
        count, keys, at = round(self.values["across"]), self.sheet.keys, self.sheet.middle
        if at is None:
            raise EditError("click the piece or hole first, round which they are to be")
        return lambda job: copies_round(job, keys, count, at)

    def _pair(self) -> Edit:
        gap, keys = self.values["Gap"], self.sheet.keys
        return lambda job: mirrored_pair(job, keys, gap)

    def _mirror(self, axis: str) -> Edit:
        keys = self.sheet.keys
        return lambda job: mirror(job, keys, axis)

    def _turn(self, degrees: float) -> None:
        keys = self.sheet.keys
        self.angle.clear()
        self.sheet.do(f"Turned by {degrees:g}°", lambda job: turn(job, keys, degrees))

    def _read_size(self, text: str) -> tuple[float, bool]:
        """Return a percentage, or a width in mm and True, as it was typed."""
        if text.strip()[-1:].isalpha() or text.strip()[-1:] in ('"', "″"):
            return parse_length(text, self.sheet.session.units), True
        return read_number(text, "%", 0.1, 100_000, "a size"), False

    def _scale(self, size: tuple[float, bool]) -> None:
        keys = self.sheet.keys
        self.percent.clear()
        percent, wide = size
        if wide:
            told = format_length(percent, self.sheet.session.units)
            self.sheet.do(f"Scaled to {told}", lambda job: scale_to_width(job, keys, percent))
            return
        self.sheet.do(f"Scaled to {percent:g} %", lambda job: scale(job, keys, percent))

    def _group(self) -> Edit:
        keys = self.sheet.keys
        return lambda job: group(job, keys)

    def _ungroup(self) -> Edit:
        keys = self.sheet.keys
        return lambda job: ungroup(job, keys)

    def _align(self, how: Align) -> Edit:
        groups = list(self.sheet.chosen)
        return lambda job: align(job, groups, how)

    def _clicked(self) -> tuple[float, float]:
        if self.sheet.clicked is None:
            raise EditError("click the piece first, where that is to be")
        return self.sheet.clicked

    def _part(self, degrees: float) -> Edit:
        at, keys = self._clicked(), self.sheet.keys
        return lambda job: part_at(job, keys, at, degrees)

    def _part_slanted(self, degrees: float) -> None:
        self.slanted.clear()
        try:
            edit = self._part(degrees)
        except EditError as error:
            self.sheet.tell(sentence(str(error)))
            return
        self.sheet.do(f"Parted at {degrees:g}°", edit)

    def _foot(self) -> Edit:
        at, keys, v = self._clicked(), self.sheet.keys, self.values
        sizes = (v["Foot length"], v["Foot depth"], v["Relief"])
        return lambda job: with_foot(job, keys, at, *sizes)

    def _slot(self) -> Edit:
        v = self.values
        sizes = (v["Foot length"], v["Thickness"], v["Clearance"])
        return lambda job: put(job, [slot_for(*sizes, middle_of(job))])

    def refresh(self, job: Job) -> None:
        """Show what is chosen."""
        super().refresh(job)
        chosen = len(self.sheet.chosen)
        self.about.say(
            f"{counted(chosen, 'piece')} chosen; in line with the first."
            if chosen
            else "Nothing is chosen: what follows is for all."
        )
        together = any(c.group for c in job.outline.contours)
        for button, there, why in (
            (self.one, chosen >= 2, "choose 2 pieces first"),
            (self.apart, together, "there is no group"),
        ):
            button.setEnabled(there)
            button.setToolTip(self.tips[button] if there else why)
        for how, button in self.aligned.items():
            least = 3 if how.startswith("space") else 2
            tip = next(tip for key, _, tip in _ALIGNED if key == how)
            button.setEnabled(chosen >= least)
            button.setToolTip(tip if chosen >= least else f"choose {least} pieces first")


def _angle(text: str) -> float:
    return read_number(text, "°", -360, 360, "an angle")
