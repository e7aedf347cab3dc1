"""Programs for machines (RS-274): how they are written and proven. They need a cut plan."""

from __future__ import annotations

from typing import TYPE_CHECKING

from silhueta.core.errors import FileError
from silhueta.core.files.format import Came, Format, YesNo

if TYPE_CHECKING:
    from silhueta.core.cutting.drawing import Drawing
    from silhueta.core.cutting.plan_drawing import PlanDrawing
    from silhueta.core.job import CutFileSettings


def _write(drawing: Drawing | PlanDrawing, _: CutFileSettings) -> bytes:
    from silhueta.core.cutting.plan_drawing import PlanDrawing
    from silhueta.core.cutting.program import motions
    from silhueta.core.files.program_write import program_bytes

    if not isinstance(drawing, PlanDrawing) or drawing.plan is None:
        raise FileError("a program needs a cut plan: write it with `silhueta cut`")
    plan = drawing.plan
    return program_bytes(
        plan, motions(plan), drawing.units, drawing.shift, drawing.name, drawing.zero
    )


def _prove(drawing: Drawing | PlanDrawing, _: CutFileSettings, written: bytes, name: str) -> None:
    from silhueta.core.cutting.plan_drawing import PlanDrawing
    from silhueta.core.cutting.program import motions
    from silhueta.core.files.program_proof import prove_program

    assert isinstance(drawing, PlanDrawing)
    assert drawing.plan is not None
    prove_program(drawing.plan, motions(drawing.plan), drawing.shift, written, name)


def _read_back(_: bytes) -> Came:
    raise FileError("a program is held against its plan, not read as outlines")


NC = Format(
    key="nc",
    title="program",
    one="a program",
    about="RS-274 G-code, for the machine itself.",
    write=_write,
    read_back=_read_back,
    prove=_prove,
    options=(YesNo("split", "A file for each tool"),),
)
