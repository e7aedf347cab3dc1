"""Writing a cut file and proving it: read back by an independent reader, compared, then kept."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from pathlib import Path as File

import numpy as np

from silhueta.core.cutting.drawing import Drawing
from silhueta.core.errors import FileError
from silhueta.core.files.atomic import write_whole
from silhueta.core.files.dxf_write import CURVE_ERROR
from silhueta.core.files.formats import format_of
from silhueta.core.files.proof import Proof
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.geometry.path import CUBIC, Path
from silhueta.core.inspection.figures import Figures, figures
from silhueta.core.job import CutFileSettings
from silhueta.core.work import Work

_LENGTH_OFF = 0.002  # mm: what rounding to six decimals of an inch may add up to, twenty times over
_AREA_OFF = 1e-5  # of the area


def export(
    drawing: Drawing,
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
    data = form.write(drawing, plan or CutFileSettings())
    work.step(0.4)  # about as long as each of reading back and comparing
    proven: list[Figures] = []

    def prove(written: bytes) -> None:
        paths, units, layers = form.read_back(written)
        work.step(0.6)
        if units != drawing.units:
            raise FileError(
                f"{target.name} came back in {units} instead of {drawing.units}; not kept"
            )
        nested = len(drawing.groups()) == 1
        found = compare(drawing.paths(), paths, target.name, nested)
        meant = Counter(form.layer(layer) for layer, _ in drawing.layered())
        if layers != meant:
            raise FileError(
                f"{target.name} came back with other layers ({_told(layers)}) than meant "
                f"({_told(meant)}); not kept, please report this"
            )
        proven.append(found)

    write_whole(target, data, prove)
    return Proof(
        target,
        proven[0],
        drawing.units,
        len(drawing.parts),
        sum(len(part.holes) for part in drawing.parts),
        len(drawing.marks) + len(drawing.engraved),
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
    # a curve may have been written as lines and arcs close to it
    off = _LENGTH_OFF + (CURVE_ERROR if any((p.kinds == CUBIC).any() for p in meant) else 0.0)
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
