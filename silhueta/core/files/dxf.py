"""The format DXF: how it is written and proven."""

from __future__ import annotations

from typing import TYPE_CHECKING

from silhueta.core.errors import FileError
from silhueta.core.files.format import Came, Choice, Format

if TYPE_CHECKING:
    from silhueta.core.cutting.drawing import Drawing
    from silhueta.core.cutting.plan_drawing import PlanDrawing
    from silhueta.core.job import CutFileSettings

_EXTENTS_OFF = (
    0.002  # mm: what rounding to six decimals of an inch may add up to, twenty times over
)


def _write(drawing: Drawing | PlanDrawing, plan: CutFileSettings) -> bytes:
    from silhueta.core.files import dxf_write

    return dxf_write.dxf_bytes(drawing, str(DXF.value(plan, "version")))


def _read_back(written: bytes) -> Came:
    import numpy as np

    from silhueta.core.files.dxf_tags import read_tags
    from silhueta.core.geometry.measure import bounding_box

    tagged = read_tags(written)
    box = np.array(tagged.extents) * tagged.mm_per_unit
    # asked so that a number that is none fails
    if not np.abs(box - bounding_box(tagged.paths)).max() <= _EXTENTS_OFF:
        raise FileError("the extents in the DXF header are not those of its outline; not kept")
    unit = "mm" if tagged.mm_per_unit == 1.0 else "in"
    return Came(tagged.paths, unit, tagged.layers)


DXF = Format(
    key="dxf",
    title="DXF",
    one="a DXF",
    about="For most plasma and router programs.",
    write=_write,
    read_back=_read_back,
    options=(
        Choice(
            "version",
            "DXF version",
            {"R2000": "R2000", "R12": "R12, oldest"},
            "R12 is for old programs.",
        ),
    ),
)
