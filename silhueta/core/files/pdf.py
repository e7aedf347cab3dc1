"""The paper proof (PDF): how it is written and proven."""

from __future__ import annotations

from typing import TYPE_CHECKING

from silhueta.core.datum.sheets import TITLES
from silhueta.core.errors import FileError
from silhueta.core.files.format import Came, Choice, Format, Number

if TYPE_CHECKING:
    from silhueta.core.cutting.drawing import Drawing
    from silhueta.core.cutting.plan_drawing import PlanDrawing
    from silhueta.core.job import CutFileSettings

# sizes of ISO 216, and of Letter (8.5 x 11 in)
PAPERS: dict[str, str] = {name: TITLES[name] for name in ("a4", "a3", "letter")}


def _write(drawing: Drawing | PlanDrawing, settings: CutFileSettings) -> bytes:
    from silhueta.core.files.paper_proof import proof_bytes

    return proof_bytes(drawing, *_how(settings))


def _how(settings: CutFileSettings) -> tuple[str, tuple[float, float]]:
    """Return the paper, and what the printer made of the bars."""
    paper, across, up = (PDF.value(settings, name) for name in ("paper", "bar-across", "bar-up"))
    return str(paper), (float(across), float(up))


def _prove(
    drawing: Drawing | PlanDrawing, settings: CutFileSettings, written: bytes, name: str
) -> None:
    from silhueta.core.files.paper_proof import prove_proof

    prove_proof(drawing, _how(settings), written, name)


def _read_back(_: bytes) -> Came:
    raise FileError("a paper proof is held against its outline, not read as outlines")


PDF = Format(
    key="pdf",
    title="paper proof",
    one="a paper proof",
    about="The outline at its own size on paper, to lay the real part on.",
    write=_write,
    read_back=_read_back,
    prove=_prove,
    options=(
        Choice("paper", "Paper", PAPERS, "Of a .pdf that is written.", "--paper"),
        Number(
            "bar-across", "Lower bar, as printed", "mm", 90.0, 110.0, 100.0,
            "What the printer made of the proof's lower bar; the next print is corrected.",
        ),
        Number(
            "bar-up", "Upright bar, as printed", "mm", 90.0, 110.0, 100.0,
            "What the printer made of the proof's upright bar.",
        ),
    ),
)  # fmt: skip
