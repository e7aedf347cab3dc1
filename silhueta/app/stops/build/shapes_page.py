"""Part of the Build worksheet: plates, and plain shapes of typed size."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from silhueta.app.stops.build.page import BuildPage, Edit
from silhueta.app.widgets import Choice, Select, heading, row
from silhueta.core.build import shapes
from silhueta.core.build.edits import middle_of, plate, put
from silhueta.core.errors import EditError
from silhueta.core.geometry.path import Loop, circle_loop

if TYPE_CHECKING:
    from silhueta.app.stops.build.sheet import BuildSheet

Point = tuple[float, float]


@dataclass(frozen=True)
class _Shape:
    """A shape: what its lengths and its count are called ("": it has none), and how it is made."""

    lengths: tuple[str, ...]
    count: str
    make: Callable[[Sequence[float], int, Point], Sequence[Loop]]


_SHAPES = {
    "Rectangle": _Shape(
        ("Width", "Height", "Corner radius"),
        "",
        lambda v, _, at: [shapes.rectangle(v[0], v[1], v[2], at)],
    ),
    "Circle": _Shape(
        ("Diameter",), "", lambda v, _, at: [circle_loop(at, shapes.above_zero(v[0]) / 2)]
    ),
    "Slot": _Shape(("Length", "Width"), "", lambda v, _, at: [shapes.slot(v[0], v[1], at)]),
    "Regular polygon": _Shape(
        ("Across flats",), "Sides", lambda v, n, at: [shapes.polygon(n, v[0], at)]
    ),
    "Ring": _Shape(("Outside", "Inside"), "", lambda v, _, at: shapes.ring(v[0], v[1], at)),
    "Holes on a circle": _Shape(
        ("Hole", "Circle"), "Count", lambda v, n, at: shapes.holes_on_circle(n, v[0], v[1], at)
    ),
    "Row of holes": _Shape(
        ("Hole", "Step"),
        "Count",
        lambda v, n, at: shapes.holes_in_grid(n, 1, v[0], (v[1], 0), at),
    ),
    "Square grid of holes": _Shape(
        ("Hole", "Step"),
        "Count",
        lambda v, n, at: shapes.holes_in_grid(n, n, v[0], (v[1], v[1]), at),
    ),
}


class ShapesPage(BuildPage):
    """A plate round everything, or a shape in the middle of it."""

    def __init__(self, sheet: BuildSheet) -> None:
        super().__init__(sheet)
        self.kind = Choice(
            "Plate", {"rectangle": "Rectangle", "circle": "Circle", "outline": "Outline"}, self
        )
        self.kind.set_chosen("rectangle")
        self._kind = "rectangle"
        self.kind.chosen.connect(self._choose_kind)
        self.wide, self.high = self.length("Plate width", 0.0), self.length("Plate height", 0.0)
        self.margin, self.radius = self.length("Margin", 10.0), self.length("Corner radius", 5.0)
        self.holes = self.length("Four holes of", 0.0)
        self.behind = self.deed(
            "Put it behind", "plate-behind", "What is there lies on it", lambda: self._plate(False)
        )
        self.cut_out = self.deed(
            "Cut out of it",
            "plate-cut-out",
            "What is there goes; the plate stays",
            lambda: self._plate(True),
        )
        self.shape = Select(self)
        self.shape.setAccessibleName("Shape")
        self.shape.setObjectName("shape")
        self.shape.addItems(list(_SHAPES))
        sizes = (40.0, 20.0, 0.0)
        self.fields = [self.length(f"Size {k}", v) for k, v in enumerate(sizes)]
        self.names = [heading("", self) for _ in sizes]
        self.count_name, self.count = heading("", self), self.number("Count", 6, 1, 1000)
        self.add = self.deed(
            "In the middle", "put-shape", "Of all there is", lambda: self._shape(False)
        )
        self.there = self.deed(
            "At the click",
            "put-shape-there",
            "Its middle on the last click; on the centre of a round that was clicked",
            lambda: self._shape(True),
        )
        inside = self.inside
        inside.addWidget(self.title("Plate"))
        inside.addWidget(self.kind)
        inside.addLayout(row(self.title("Width, height"), None, self.wide, self.high))
        inside.addLayout(row(self.title("Margin, radius"), None, self.margin, self.radius))
        inside.addLayout(row(self.title("Four holes of"), None, self.holes))
        inside.addLayout(row(self.behind, self.cut_out))
        inside.addWidget(self.title("Shape"))
        inside.addWidget(self.shape)
        for name, field in zip(self.names, self.fields, strict=True):
            inside.addLayout(row(name, None, field))
        inside.addLayout(row(self.count_name, None, self.count))
        inside.addLayout(row(self.add, self.there))
        inside.addStretch(1)
        self.shape.activated.connect(lambda _: self._name_fields())
        self._name_fields()

    def _choose_kind(self, key: str) -> None:
        self._kind = key
        for field, on in (
            (self.wide, key == "rectangle"),
            (self.high, key == "rectangle"),
            (self.radius, key == "rectangle"),
            (self.holes, key == "rectangle"),
        ):
            field.setEnabled(on)
            field.setToolTip("" if on else "a rectangle has it")

    def _name_fields(self) -> None:
        shape = _SHAPES[self.shape.currentText()]
        names = [*shape.lengths, "", "", ""]
        for name, label, field in zip(names, self.names, self.fields, strict=False):
            label.setText(name)
            field.setAccessibleName(name)
            for widget in (label, field):
                widget.setVisible(bool(name))
        self.count_name.setText(shape.count)
        for widget in (self.count_name, self.count):
            widget.setVisible(bool(shape.count))

    def _plate(self, cut_out: bool) -> Edit:
        v = self.values
        size = (v["Plate width"], v["Plate height"])
        flat = self._kind == "rectangle"
        return lambda job: plate(
            job,
            self._kind,  # type: ignore[arg-type]
            size if flat and all(size) else None,
            v["Corner radius"] if flat else 0.0,
            v["Margin"],
            (v["Four holes of"] or None) if flat else None,
            cut_out,
        )

    def _shape(self, there: bool) -> Edit:
        at = self.sheet.middle
        if there and at is None:
            raise EditError("click on the table first, where it is to be")
        made = _SHAPES[self.shape.currentText()]
        sizes, count = [self.values[f"Size {k}"] for k in range(3)], round(self.values["Count"])
        return lambda job: put(
            job, made.make(sizes, count, middle_of(job) if at is None or not there else at)
        )
