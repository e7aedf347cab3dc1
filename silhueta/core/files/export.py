"""Writing a cut file and proving it: read back by an independent reader, compared, then kept."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from pathlib import Path as File

import numpy as np

from silhueta.core.cutting.drawing import Drawing
from silhueta.core.cutting.plan_drawing import PlanDrawing
from silhueta.core.errors import FileError
from silhueta.core.files.atomic import write_whole
from silhueta.core.files.dxf_write import CURVE_ERROR
from silhueta.core.files.format import Format
from silhueta.core.files.formats import format_of
from silhueta.core.files.partners import without_partner
from silhueta.core.files.proof import Proof
from silhueta.core.geometry.measure import bounding_box, box_of
from silhueta.core.geometry.path import CUBIC, Path
from silhueta.core.inspection.figures import Figures, figures
from silhueta.core.job import CutFileSettings
from silhueta.core.work import Work

_LENGTH_OFF = 0.002  # mm: what rounding to six decimals of an inch may add up to, twenty times over
_AREA_OFF = 1e-5  # of the area


def export(
    drawing: Drawing | PlanDrawing,
    target: File,
    plan: CutFileSettings | None = None,
    work: Work | None = None,
) -> Proof:
    """Write `drawing` to `target` as its suffix says, prove it, and return the proof.

    Raises
    ------
    FileError
        If there is no such format, the file cannot be written, or what is read back
        differs in size, place, closed loops, area or layers; then nothing is left behind.

    """
    form = format_of(target)
    work = work or Work()
    work.step(0.1)
    plan = plan or CutFileSettings()
    data = form.write(drawing, plan)
    work.step(0.4)  # about as long as each of reading back and comparing
    found: list[Figures] = []

    def prove(written: bytes) -> None:
        work.step(0.6)
        found.append(proven(form, drawing, written, target.name, plan))

    write_whole(target, data, prove)
    if isinstance(drawing, PlanDrawing):
        return Proof(target, found[0], drawing.units)
    return Proof(
        target,
        found[0],
        drawing.units,
        len(drawing.parts),
        sum(len(part.holes) for part in drawing.parts),
        len(drawing.marks) + len(drawing.engraved),
    )


def proven(
    form: Format,
    drawing: Drawing | PlanDrawing,
    written: bytes,
    name: str,
    plan: CutFileSettings | None = None,
) -> Figures:
    """Return the figures of a file, read back by other code than wrote it.

    Raises
    ------
    FileError
        Where a path that was meant is not there, or not as it was meant: naming what and where.

    """
    if form.prove is not None:
        form.prove(drawing, plan or CutFileSettings(), written, name)
        return figures(drawing.paths(), drawing.groups())
    came = form.read_back(written)
    if came.units != drawing.units:
        raise FileError(f"{name} came back in {came.units} instead of {drawing.units}; not kept")
    nested = len(drawing.groups()) == 1
    got = compare(drawing.paths(), came.paths, name, nested)
    meant = [(form.layer(layer), path) for layer, path in drawing.layered()]
    layers = Counter(came.layers), Counter(layer for layer, _ in meant)
    if layers[0] != layers[1]:
        raise FileError(
            f"{name} came back with other layers ({_told(layers[0])}) than meant "
            f"({_told(layers[1])}); not kept, please report this"
        )
    back = list(zip(came.layers, came.paths, strict=True))
    lost = without_partner(meant, back, _allowed(drawing.paths()))
    if lost is not None:
        layer, path = lost
        left, bottom, right, top = box_of(path)
        raise FileError(
            f"{name} came back without the line of {right - left:.2f} x {top - bottom:.2f} mm at "
            f"{left:.2f}, {bottom:.2f} mm on {layer}, or with another in its place; not kept, "
            "please report this"
        )
    if came.page is not None:
        _on_the_page(came.paths, came.page, name)
    return got


def _allowed(paths: Sequence[Path]) -> float:
    """Return how far what is read back may be off, mm; curves are written as arcs close to them."""
    return _LENGTH_OFF + (CURVE_ERROR if any((p.kinds == CUBIC).any() for p in paths) else 0.0)


def _on_the_page(paths: Sequence[Path], page: tuple[float, float], name: str) -> None:
    left, bottom, right, top = bounding_box(paths)
    beyond = max(-left, -bottom, right - page[0], top - page[1])
    if beyond > _LENGTH_OFF:
        raise FileError(
            f"{beyond:.1f} mm of the outline would lie off the page of {name}; put the zero point "
            "at the outline's corner, or write a DXF"
        )


def _told(layers: Counter[str]) -> str:
    return ", ".join(f"{name} {count}" for name, count in sorted(layers.items()))


def compare(
    meant: Sequence[Path], found: Sequence[Path], name: str, nested: bool = True
) -> Figures:
    """Return the figures of `found`, which must be those of `meant`.

    Where loops of several colours meet (not `nested`), each counts on its own, whatever it lies in.

    Raises
    ------
    FileError
        Naming the first figure that differs: place and size, number of paths, area.

    """
    off = _allowed(meant)
    apart = (None, None) if nested else ([[p] for p in meant], [[p] for p in found])
    want, got = figures(meant, apart[0]), figures(found, apart[1])
    if not found or not (
        np.abs(np.subtract(bounding_box(meant), bounding_box(found))).max() <= off
    ):
        raise FileError(
            f"{name} came back {got.size_mm[0]:.3f} x {got.size_mm[1]:.3f} mm instead of "
            f"{want.size_mm[0]:.3f} x {want.size_mm[1]:.3f} mm; not kept, please report this"
        )
    for what in ("outer_loops", "holes", "open_paths"):
        if getattr(want, what) != getattr(got, what):
            raise FileError(
                f"{name} came back with {getattr(got, what)} {what.replace('_', ' ')} instead of "
                f"{getattr(want, what)}; not kept, please report this"
            )
    # besides rounding, cubics may have been written as chords along their length
    chords = 0.01 * want.cut_length_mm if want.curves else 0.0
    if not abs(want.area_mm2 - got.area_mm2) <= _AREA_OFF * want.area_mm2 + 1e-3 + chords:
        raise FileError(
            f"{name} came back with {got.area_mm2:.2f} mm² instead of {want.area_mm2:.2f} mm²; "
            "not kept, please report this"
        )
    return got
