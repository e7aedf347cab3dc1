"""Part of the Build worksheet: pieces put together, grown, tied, copied."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, cast

from PySide6.QtWidgets import QGridLayout

from silhueta.app.stops.build.page import BuildPage, Edit, Made
from silhueta.app.widgets import Choice, Note, row
from silhueta.core.build.edits import combine, remade
from silhueta.core.build.offset import Corners, offset
from silhueta.core.build.sets import How, backing, border, thickened
from silhueta.core.build.tying import tie, tie_at
from silhueta.core.errors import EditError
from silhueta.core.job import Job
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.app.stops.build.sheet import BuildSheet

_SETS: dict[How, tuple[str, str]] = {
    "union": ("Weld", "All chosen pieces become one"),
    "subtract": ("Subtract", "The others are cut out of the first"),
    "intersect": ("Intersect", "What all of them cover stays"),
    "exclude": ("Exclude", "What an odd number of them covers stays"),
}
_MOVABLE = "Each tie can be dragged along its island."


class JoinPage(BuildPage):
    """What is done with the pieces that are chosen on the table; with all, where none is."""

    def __init__(self, sheet: BuildSheet) -> None:
        super().__init__(sheet)
        self.about, self.came = Note(parent=self), Note(parent=self)
        grid = QGridLayout()
        grid.setSpacing(4)
        self.sets = {
            how: self.deed(text, how, tip, partial(self._combine, how))
            for how, (text, tip) in _SETS.items()
        }
        for number, button in enumerate(self.sets.values()):
            grid.addWidget(button, number // 2, number % 2)
        self.by = self.length("By", 2.0, wide=62)
        self.corners = Choice("Corners", {"round": "Round", "sharp": "Sharp", "flat": "Flat"}, self)
        self.corners.set_chosen("round")
        self._corners = "round"
        self.corners.chosen.connect(self._choose_corners)
        grow, shrink, edge, thicken, backing_ = (
            self.deed(text, name, tip, partial(self._grow, name))
            for text, name, tip in (
                ("Grow", "grow", "Every edge moved outward"),
                ("Shrink", "shrink", "Every edge moved inward"),
                ("Border", "border", "Only the ring between it and what it grows to"),
                ("Thicken", "thicken", "Webs that are thinner become so thick; the rest stays"),
                ("Backing", "backing", "One solid shape behind everything, larger by so much"),
            )
        )
        self.ties = self.length("Ties wide", 4.0)
        self.count = self.number("each", 2, 1, 8)
        self.tie = self.deed("Tie the islands", "tie", "So that nothing falls out", self._tie)
        self.tie_here = self.deed(
            "Tie here", "tie-here", "The island nearest to the last click, there", self._tie_here
        )
        inside = self.inside
        inside.addWidget(self.about)
        inside.addLayout(grid)
        inside.addLayout(row(self.title("By"), self.by, thicken, backing_))
        inside.addWidget(self.corners)
        inside.addLayout(row(grow, shrink, edge))
        inside.addLayout(
            row(self.title("Ties wide"), self.ties, self.count, self.title("each"), None)
        )
        inside.addLayout(row(self.tie, self.tie_here))
        inside.addWidget(self.came)
        inside.addStretch(1)

    def _choose_corners(self, key: str) -> None:
        self._corners = key

    def _combine(self, how: How) -> Edit:
        groups = list(self.sheet.chosen)
        return lambda job: combine(job, how, groups)

    def _grow(self, name: str) -> Edit:
        by, corners, keys = self.values["By"], cast("Corners", self._corners), self.sheet.keys
        if not by > 0:
            raise EditError("type by how much first, such as 2 mm")
        make = {
            "grow": lambda loops: offset(loops, by, corners),
            "shrink": lambda loops: offset(loops, -by, corners),
            "border": lambda loops: border(loops, by, corners),
            "thicken": lambda loops: thickened(loops, by),
            "backing": lambda loops: backing(loops, by),
        }[name]
        if name == "backing":
            return lambda job: _with_backing(job, by)
        return lambda job: remade(job, keys, make)

    def _tie(self) -> Edit:
        width, count = self.values["Ties wide"], round(self.values["each"])
        earlier = self.sheet.tied

        def tied(job: Job) -> Made:
            done = tie(job, width, count, earlier)
            if not done.left:
                return Made(done.job, _MOVABLE, tied=done)
            no_room = f"{counted(done.left, 'island')} left: no room for a tie so wide."
            return Made(done.job, no_room, True, done)

        return tied

    def _tie_here(self) -> Edit:
        width, count, at = self.values["Ties wide"], round(self.values["each"]), self.sheet.clicked
        if at is None:
            raise EditError("click the island first, on the side where the tie is to be")
        earlier = self.sheet.tied

        def tied(job: Job) -> Made:
            done = tie_at(job, at, width, count, earlier)
            return Made(done.job, _MOVABLE, tied=done)

        return tied

    def refresh(self, job: Job) -> None:
        """Show what is chosen, and what would fall out."""
        super().refresh(job)
        chosen = len(self.sheet.chosen)
        self.about.say(
            f"{counted(chosen, 'piece')} chosen; the first is the base."
            if chosen
            else "Nothing is chosen: what follows is for all. Click pieces on the table."
        )
        for button, (_, tip) in zip(self.sets.values(), _SETS.values(), strict=True):
            button.setEnabled(chosen >= 2)
            button.setToolTip(tip if chosen >= 2 else "choose two pieces on the table first")
        self.came.say(*self.sheet.told)
        loose = self.sheet.islands(job) if job.outline.taken else 0
        self.tie.setText(f"Tie {counted(loose, 'island')}" if loose else "Tie the islands")
        for button, tip in (
            (self.tie, "So that nothing falls out"),
            (self.tie_here, "The island nearest to the last click, there"),
        ):
            button.setEnabled(bool(loose))
            button.setToolTip(tip if loose else "nothing would fall out")


def _with_backing(job: Job, by: float) -> Job:
    from silhueta.core.build.edits import loops_of, put

    return put(job, backing(loops_of(job), by))
