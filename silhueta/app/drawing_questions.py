"""What is asked about somebody's drawing before it is opened, where the file leaves it open."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QLabel,
    QMessageBox,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from silhueta.app.widgets import Select
from silhueta.core.wording import counted

if TYPE_CHECKING:
    from silhueta.core.files.drawing_open import DrawingOffer, Overlaps
    from silhueta.core.files.layer_names import OnLayer
    from silhueta.core.files.svg_read import FileUnit

_WAYS: dict[OnLayer, str] = {
    "cut": "Cut",
    "engrave": "Engrave",
    "mark": "Mark",
    "skip": "Skip",
}
_ROWS_SHOWN = 9  # layers in view at once; of more the list scrolls
_MOST_LAYERS = 500  # of more none is asked about: who answered that would be here all day


@dataclass(frozen=True)
class Wanted:
    """What a person wants of a drawing.

    Parameters
    ----------
    picture : bool
        Not its outlines but the picture that is stored in it.
    units : {"mm", "in", "px"} or None
        What its numbers are; None: as it says.
    widen : bool
        Broad strokes become the outline of what they cover.
    overlaps : {"auto", "weld", "lines"}
    layers : mapping
        How layers are worked, by their names in small letters.
    """

    picture: bool = False
    units: FileUnit | None = None
    widen: bool = False
    overlaps: Overlaps = "weld"
    layers: dict[str, OnLayer] = field(default_factory=dict)


def wanted(parent: QWidget, offer: DrawingOffer) -> Wanted | None:
    """Ask what of a drawing is wanted, and how large it is; None: it stays closed."""
    drawing = offer.drawing
    assert drawing is not None
    if offer.picture and _is_picture(parent, offer):
        return Wanted(picture=True)
    if not _goes_on(parent, offer):
        return None
    units: FileUnit | None = None
    if not drawing.says_units:
        units = _asked_units(parent, offer)
        if units is None:
            return None
    layers = _asked_layers(parent, offer)
    if layers is None:
        return None
    count, widest = offer.broad(units)
    widen = _asked_strokes(parent, offer, count, widest) if count else False
    return None if widen is None else Wanted(False, units, widen, "weld", layers)


def all_lines(parent: QWidget, offer: DrawingOffer, count: int) -> bool | None:
    """Ask whether shapes that others hide are wanted with all lines; None: leave it."""
    shapes = "a shape that others hide" if count == 1 else f"{count:,} shapes that others hide"
    text = f"“{offer.file.name}” has {shapes}."
    looks, lines = "Take what is to be seen", "Take all lines"
    answer = _asked(parent, "hidden-choice", text, [looks, lines])
    return None if answer is None else answer == lines


def _is_picture(parent: QWidget, offer: DrawingOffer) -> bool:
    assert offer.drawing is not None
    box = QMessageBox(parent)
    box.setObjectName("svg-choice")
    box.setWindowTitle("Silhueta")
    count = len(offer.drawing.paths)
    box.setText(f"“{offer.file.name}” holds {count:,} outlines, and a picture as well.")
    take = box.addButton("Take the outlines", QMessageBox.ButtonRole.AcceptRole)
    box.addButton("Trace the picture", QMessageBox.ButtonRole.RejectRole)
    box.exec()
    return box.clickedButton() is not take


def _goes_on(parent: QWidget, offer: DrawingOffer) -> bool:
    """Ask whether a drawing that takes long is wanted all the same."""
    from silhueta.core.files.drawing_open import large

    assert offer.drawing is not None
    much = large(offer.drawing)
    if not much:
        return True
    text = f"“{offer.file.name}” holds {much}."
    return _asked(parent, "large-choice", text, ["Open it all the same"]) is not None


def _asked_strokes(parent: QWidget, offer: DrawingOffer, count: int, widest: float) -> bool | None:
    """Ask whether broad strokes mean their middle or what they cover; None: leave it."""
    lines = "a line" if count == 1 else f"{count:,} lines"
    text = f"“{offer.file.name}” has {lines} up to {widest:.2f} mm wide."
    middle, edges = "Take their middle", "Take the outline round them"
    answer = _asked(parent, "strokes-choice", text, [middle, edges])
    return None if answer is None else answer == edges


def _asked_units(parent: QWidget, offer: DrawingOffer) -> FileUnit | None:
    """Ask what the numbers of a file without a unit are; None: leave it."""
    text = f"“{offer.file.name}” does not say its unit. How large is what it holds?"
    names: dict[FileUnit, str] = {"mm": "mm", "in": "inch", "px": "px, 96 an inch"}
    units = {
        f"{wide:,.1f} × {high:,.1f} mm ({names[unit]})": unit
        for unit, (wide, high) in offer.sizes().items()
    }
    answer = _asked(parent, "units-choice", text, list(units))
    return None if answer is None else units[answer]


def _asked(parent: QWidget, name: str, text: str, answers: list[str]) -> str | None:
    """Return which answer was given to a question about a file; None: it stays closed."""
    box = QMessageBox(parent)
    box.setObjectName(name)
    box.setWindowTitle("Silhueta")
    box.setText(text)
    buttons = {box.addButton(each, QMessageBox.ButtonRole.AcceptRole): each for each in answers}
    box.addButton("Do not open it", QMessageBox.ButtonRole.RejectRole)
    box.exec()
    return next((each for button, each in buttons.items() if button is box.clickedButton()), None)


def _asked_layers(parent: QWidget, offer: DrawingOffer) -> dict[str, OnLayer] | None:
    """Ask how each layer is worked, where there are several and not all are ours; None: leave it.

    Layers with the names that this program writes say for themselves how they are worked.
    """
    from silhueta.core.files.layer_names import is_ours

    assert offer.drawing is not None
    counts = Counter(name for name in offer.drawing.layers if name)
    if not 1 < len(counts) <= _MOST_LAYERS or all(map(is_ours, counts)):
        return {}
    dialog = LayersDialog(offer.file.name, counts, parent)
    return dialog.told() if dialog.exec() == QDialog.DialogCode.Accepted else None


class LayersDialog(QDialog):
    """The layers of a drawing, and how each is worked."""

    def __init__(self, name: str, counts: dict[str, int], parent: QWidget | None = None) -> None:
        from silhueta.core.files.layer_names import worked

        super().__init__(parent)
        self.setObjectName("layers-choice")
        self.setWindowTitle("Silhueta")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(20, 16, 20, 16)
        layout.setSpacing(12)
        title = QLabel(f"“{name}” has {counted(len(counts), 'layer')}. How is each worked?", self)
        title.setWordWrap(True)
        layout.addWidget(title)
        inside = QWidget(self)
        grid = QGridLayout(inside)
        grid.setContentsMargins(0, 0, 12, 0)
        grid.setHorizontalSpacing(16)
        grid.setColumnStretch(0, 1)
        self._ways: dict[str, Select] = {}
        for row, (layer, count) in enumerate(counts.items()):
            label = QLabel(layer if len(layer) <= 40 else f"{layer[:39]}…", inside)
            label.setToolTip(layer)
            way = Select(inside)
            way.setObjectName(f"layer-{layer}")
            way.setAccessibleName(f"How {layer} is worked")
            way.addItems(list(_WAYS.values()))
            how = worked(layer, {})
            way.setCurrentText(_WAYS[how.operation if how.taken else "skip"])
            way.setMinimumWidth(110)
            self._ways[layer] = way
            grid.addWidget(label, row, 0)
            grid.addWidget(QLabel(counted(count, "line"), inside), row, 1)
            grid.addWidget(way, row, 2)
        area = QScrollArea(self)
        area.setWidget(inside)
        area.setWidgetResizable(True)
        area.setFrameShape(QScrollArea.Shape.NoFrame)
        shown = min(len(counts), _ROWS_SHOWN)
        area.setMinimumHeight(shown * (grid.rowMinimumHeight(0) + 36))
        layout.addWidget(area)
        buttons = QDialogButtonBox(self)
        take = buttons.addButton("Open it so", QDialogButtonBox.ButtonRole.AcceptRole)
        take.setObjectName("open-so")
        take.setDefault(True)
        buttons.addButton("Do not open it", QDialogButtonBox.ButtonRole.RejectRole)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)
        self.setMinimumWidth(460)

    def told(self) -> dict[str, OnLayer]:
        """Return how each layer is worked, by its name in small letters.

        A layer of ours that stays as its name says is not told, so that it keeps its colour.
        """
        from silhueta.core.files.layer_names import worked

        keys = {text: key for key, text in _WAYS.items()}
        found: dict[str, OnLayer] = {}
        for layer, way in self._ways.items():
            said = keys[way.currentText()]
            if said != worked(layer, {}).operation:
                found[layer.casefold()] = said
        return found
