"""Part of the True up worksheet: one edge or hole, or two, and what they are to be."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING, NamedTuple

from PySide6.QtWidgets import QGridLayout, QPushButton, QVBoxLayout, QWidget

from silhueta.app.session import Session
from silhueta.app.stops.true_up.picking import PickingPage
from silhueta.app.table.marked_layer import OfferLayer
from silhueta.app.widgets import Field, Note, heading, row
from silhueta.core.job import Job
from silhueta.core.relations import Kind, Ref
from silhueta.core.truing.by_hand import corner_cut, relate
from silhueta.core.truing.features import Feature
from silhueta.core.truing.shapes import Shape, shaped
from silhueta.core.truing.straight import straightened
from silhueta.core.truing.zero import set_zero
from silhueta.core.units import format_length, parse_length

if TYPE_CHECKING:
    from silhueta.app.edit_queue import EditQueue
    from silhueta.app.table.table import Table
    from silhueta.app.tracing import Tracing


class _Deed(NamedTuple):
    """A button: what it says, what must be chosen for it, and what it does."""

    key: Kind
    text: str
    chosen: str
    done: str


_LINE, _TWO_LINES, _TWO_ROUNDS = "one edge", "two edges", "two holes or arcs"
_DEEDS = (
    _Deed("level", "Level", _LINE, "Made level"),
    _Deed("plumb", "Plumb", _LINE, "Made plumb"),
    _Deed("perpendicular", "Square", _TWO_LINES, "Made square"),
    _Deed("parallel", "Parallel", _TWO_LINES, "Made parallel"),
    _Deed("collinear", "In one line", _TWO_LINES, "Put in one line"),
    _Deed("equal length", "As long", _TWO_LINES, "Made as long"),
    _Deed("equal radius", "As large", _TWO_ROUNDS, "Made as large"),
    _Deed("concentric", "One centre", _TWO_ROUNDS, "Made concentric"),
)


_SHAPES: dict[Shape, str] = {"circle": "Circle", "slot": "Slot", "rectangle": "Rectangle"}


class HandPage(PickingPage):
    """Picks edges and holes, at most two, and makes them what a person says."""

    def __init__(
        self,
        session: Session,
        tracing: Tracing,
        table: Table,
        edits: EditQueue,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(session, tracing, table, edits, parent)
        self.tool.text = "Click an edge or a hole to choose it, two at most; again to let it go."
        self.chosen: list[Ref] = []
        self.about = Note(parent=self)
        self.buttons: dict[str, QPushButton] = {}
        grid = QGridLayout()
        grid.setSpacing(4)
        for number, deed in enumerate(_DEEDS):
            button = QPushButton(deed.text, self)
            button.setObjectName(f"make-{deed.key.replace(' ', '-')}")
            button.clicked.connect(partial(self._relate, deed.key, deed.done))
            self.buttons[deed.key] = button
            grid.addWidget(button, number // 2, number % 2)
        self.extent = self._length("Diameter or length")
        self.angle = Field("Angle", _angle, self)
        self.angle.setFixedWidth(84)
        self.fillet = self._length("Round the corner")
        self.chamfer = self._length("Cut the corner off")
        self.shapes: dict[Shape, QPushButton] = {}
        for shape, text in _SHAPES.items():
            button = QPushButton(text, self)
            button.setObjectName(f"shape-{shape}")
            button.clicked.connect(partial(self._reshape, shape))
            self.shapes[shape] = button
        self.straight = QPushButton("Straight in between", self)
        self.straight.setObjectName("straighten")
        self.straight.clicked.connect(self._straighten)
        self.zero = QPushButton("Zero here", self)
        self.zero.setObjectName("zero-here")
        self.zero.clicked.connect(self._put_zero)
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(5)
        inside.addWidget(self.about)
        inside.addLayout(grid)
        self.extent_heading = heading("Diameter", self)
        for name, field in (
            (self.extent_heading, self.extent),
            (heading("At an angle of", self), self.angle),
            (heading("Round the corner by", self), self.fillet),
            (heading("Cut the corner off by", self), self.chamfer),
        ):
            inside.addLayout(row(name, None, field))
            field.wrong.connect(self.wrong)
        inside.addLayout(row(self.straight, self.zero))
        inside.addWidget(heading("Make the whole loop a", self))
        inside.addLayout(row(*self.shapes.values()))
        inside.addStretch(1)
        self.extent.typed.connect(self._give_size)
        self.angle.typed.connect(lambda v: self._relate("angle", "Turned to an angle", v))
        self.fillet.typed.connect(lambda v: self._corner(v, True))
        self.chamfer.typed.connect(lambda v: self._corner(v, False))

    def _length(self, name: str) -> Field:
        field = Field(name, lambda text: parse_length(text, self._session.units), self)
        field.setFixedWidth(84)
        return field

    # chosen on the table

    def pick(self, feature: Feature) -> None:
        """Choose an edge or hole, or let it go."""
        keys = [(ref.key, ref.segment) for ref in self.chosen]
        if (feature.ref.key, feature.ref.segment) in keys:
            del self.chosen[keys.index((feature.ref.key, feature.ref.segment))]
        else:
            self.chosen = [*self.chosen[-1:], feature.ref]
        self.refresh(self._session.job)

    def _features(self) -> list[Feature]:
        """Return the chosen features that are still there."""
        by_ref = {(f.ref.key, f.ref.segment): f for f in self.tool.features}
        found = [by_ref.get((ref.key, ref.segment)) for ref in self.chosen]
        return [feature for feature in found if feature is not None]

    def refresh(self, job: Job) -> None:
        """Show what is chosen and what can be made of it."""
        self.tool.follow(job.outline, self.noise(job))
        found = self._features()
        self.chosen = [feature.ref for feature in found]
        units = self._session.units
        kinds = [feature.kind for feature in found]
        self.about.say(
            " and ".join(
                f"{'Ø' if f.kind == 'circle' else 'radius' if f.kind == 'arc' else 'edge of'} "
                f"{format_length(f.size, units)}"
                for f in found
            )
            or "Nothing is chosen yet: click an edge or a hole on the table."
        )
        lines = kinds.count("line")
        is_so = {
            _LINE: kinds == ["line"],
            _TWO_LINES: lines == 2,
            _TWO_ROUNDS: len(kinds) == 2 and lines == 0,
        }
        for deed in _DEEDS:
            button = self.buttons[deed.key]
            button.setEnabled(is_so[deed.chosen])
            button.setToolTip("" if is_so[deed.chosen] else f"choose {deed.chosen} first")
        one = found[0] if len(found) == 1 else None
        words = {"line": "Length", "arc": "Radius", "circle": "Diameter"}
        self.extent_heading.setText(words[one.kind] if one else "Size")
        self.extent.show_value("" if one is None else format_length(one.size, units, 3))
        for field, on, why in (
            (self.extent, one is not None, "choose one edge or hole first"),
            (self.angle, is_so[_LINE], "choose one edge first"),
            (self.fillet, lines == 2, "choose the two edges that meet in it first"),
            (self.chamfer, lines == 2, "choose the two edges that meet in it first"),
        ):
            field.setEnabled(on)
            field.setToolTip("" if on else why)
        keys = {f.ref.key for f in found}
        stretch = len(found) == 2 and len(keys) == 1
        self.straight.setEnabled(stretch)
        self.straight.setToolTip(
            "All between the two becomes one edge; its neighbours are trimmed to meet it"
            if stretch
            else "choose the first and the last edge of a stretch first"
        )
        for button in self.shapes.values():
            button.setEnabled(len(keys) == 1)
            button.setToolTip("" if len(keys) == 1 else "choose an edge of one loop first")
        whole = len(found) == 1 and lines == 0
        self.zero.setEnabled(whole or lines == 2)
        self.zero.setToolTip(
            "Put (0, 0) of the cut file there"
            if whole or lines == 2
            else "choose a hole, or two edges that meet, first"
        )
        layer = OfferLayer([f.place if f.kind == "line" else f.centre for f in found])
        self._table.set_overlay("chosen", layer if found else None)

    # done

    def _relate(self, kind: Kind, label: str, value: object = None) -> None:
        number = value if isinstance(value, float) else None
        refs = tuple(self.chosen)
        self.attempt(label, lambda job: relate(job, kind, refs, number))

    def _straighten(self) -> None:
        refs = tuple(self.chosen)
        self._remake("Made one straight edge", lambda job: straightened(job, refs))

    def _remake(self, label: str, edit: Callable[[Job], Job]) -> None:
        """Make an edit after which the chosen edges have other numbers: none stays chosen."""
        before, self.chosen = self.chosen, []

        def chosen_again(_: object) -> None:
            self.chosen = before
            self.refresh(self._session.job)

        self.attempt(label, edit, chosen_again)

    def _put_zero(self) -> None:
        refs = tuple(self.chosen)
        self.attempt("Zero put there", lambda job: set_zero(job, refs))

    def _give_size(self, mm: float) -> None:
        (feature,) = self._features()
        if feature.kind == "line":
            self._relate("length", f"Made {format_length(mm, self._session.units)} long", mm)
            return
        radius = mm / 2 if feature.kind == "circle" else mm
        self._relate("radius", f"Made {format_length(mm, self._session.units)}", radius)

    def _reshape(self, shape: Shape, _: bool = False) -> None:
        key = self.chosen[0].key
        self._remake(f"Made a {shape}", lambda job: shaped(job, key, shape))

    def _corner(self, mm: float, rounded: bool) -> None:
        refs = tuple(self.chosen)
        label = "Rounded a corner" if rounded else "Cut a corner off"
        self._remake(label, lambda job: corner_cut(job, refs, mm, rounded))


def _angle(text: str) -> float:
    from silhueta.app.widgets import read_number

    return read_number(text, "°", -180, 180, "an angle")
