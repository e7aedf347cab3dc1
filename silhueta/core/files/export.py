"""Writing a cut file and proving it: read back by an independent reader, compared, then kept."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from pathlib import Path as File

import numpy as np
from defusedxml.ElementTree import fromstring

from silhueta.core.cutting.drawing import Drawing
from silhueta.core.errors import FileError
from silhueta.core.files.atomic import write_whole
from silhueta.core.files.dxf_tags import read_tags
from silhueta.core.files.dxf_write import CURVE_ERROR, dxf_bytes
from silhueta.core.files.proof import Proof
from silhueta.core.files.svg_read import read_svg
from silhueta.core.files.svg_write import svg_bytes
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.geometry.path import CUBIC, Path
from silhueta.core.inspection.figures import Figures, figures
from silhueta.core.job import DxfVersion

SUFFIXES = (".dxf", ".svg")
_LENGTH_OFF = 0.002  # mm: what rounding to six decimals of an inch may add up to, twenty times over
_AREA_OFF = 1e-5  # of the area


def export(drawing: Drawing, target: File, dxf_version: DxfVersion = "R2000") -> Proof:
    """Write `drawing` to `target` as its suffix says, prove it, and return the proof.

    Raises
    ------
    FileError
        If the suffix is neither .dxf nor .svg, the file cannot be written, or what is read back
        differs in size, place, closed loops or area; then nothing is left behind.

    """
    suffix = target.suffix.lower()
    if suffix not in SUFFIXES:
        raise FileError(
            f"{target.name} ends in neither .dxf nor .svg; give it one of these endings"
        )
    data = dxf_bytes(drawing, dxf_version) if suffix == ".dxf" else svg_bytes(drawing)
    proven: list[Figures] = []

    def prove(written: bytes) -> None:
        paths, units, layers = _read_back(suffix, written)
        if units != drawing.units:
            raise FileError(
                f"{target.name} came back in {units} instead of {drawing.units}; not kept"
            )
        nested = len(drawing.groups()) == 1
        found = compare(drawing.paths(), paths, target.name, nested)
        meant = Counter(_name(layer, suffix) for layer, _ in drawing.layered())
        if layers != meant:
            raise FileError(
                f"{target.name} came back with other layers ({_told(layers)}) than meant "
                f"({_told(meant)}); not kept, please report this"
            )
        proven.append(found)

    write_whole(target, data, prove)
    return Proof(target, proven[0], drawing.units)


def _name(layer: str, suffix: str) -> str:
    """Return what a file calls a layer: an SVG has one group for all that is cut."""
    return layer if suffix == ".dxf" else ("cut" if layer.startswith("CUT") else layer.lower())


def _told(layers: Counter[str]) -> str:
    return ", ".join(f"{name} {count}" for name, count in sorted(layers.items()))


def _read_back(suffix: str, written: bytes) -> tuple[Sequence[Path], str, Counter[str]]:
    """Return the paths in a file, its unit, and how many paths each of its layers has."""
    if suffix == ".dxf":
        tagged = read_tags(written)
        box = np.array(tagged.extents) * tagged.mm_per_unit
        # asked so that a number that is none fails
        if not np.abs(box - bounding_box(tagged.paths)).max() <= _LENGTH_OFF:
            raise FileError("the extents in the DXF header are not those of its outline; not kept")
        unit = "mm" if tagged.mm_per_unit == 1.0 else "in"
        return tagged.paths, unit, Counter(tagged.layers)
    drawing = read_svg(written, "the SVG")
    groups = fromstring(written).iter("{http://www.w3.org/2000/svg}g")
    counts = {
        str(group.get("id")): sum(str(path.get("d")).count("M") for path in group)
        for group in groups
    }
    return drawing.paths, drawing.units, Counter(counts)


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
