"""The picture of a part (PNG): how it is written and proven."""

from __future__ import annotations

from typing import TYPE_CHECKING

from silhueta.core.errors import FileError
from silhueta.core.files.format import Came, Choice, Format, Number, YesNo

if TYPE_CHECKING:
    from silhueta.core.cutting.drawing import Drawing
    from silhueta.core.cutting.plan_drawing import PlanDrawing
    from silhueta.core.files.png_write import Look
    from silhueta.core.job import CutFileSettings


def _write(drawing: Drawing | PlanDrawing, settings: CutFileSettings) -> bytes:
    from silhueta.core.files.png_write import picture_bytes

    return picture_bytes(drawing, _look(settings))


def _look(settings: CutFileSettings) -> Look:
    from silhueta.core.files.png_write import Look

    shows, dpi, ground = (PNG.value(settings, name) for name in ("shows", "dpi", "ground"))
    return Look(str(shows), float(dpi), bool(ground), settings.origin == "picture")


def _prove(
    drawing: Drawing | PlanDrawing, settings: CutFileSettings, written: bytes, name: str
) -> None:
    from silhueta.core.files.png_write import prove_picture

    prove_picture(drawing, _look(settings), written, name)


def _read_back(_: bytes) -> Came:
    raise FileError("a picture is held against its outline, not read as outlines")


PNG = Format(
    key="png",
    title="picture",
    one="a picture",
    about="A picture of the part for people, at its own size.",
    write=_write,
    read_back=_read_back,
    prove=_prove,
    options=(
        Choice(
            "shows",
            "It shows",
            {"lines": "Lines", "filled": "Filled", "picture": "Over the picture"},
            "What a .png shows.",
        ),
        Number("dpi", "Pixels an inch", "dpi", 20.0, 2400.0, 300.0, "Of a .png.", "--dpi"),
        YesNo("ground", "White ground", True, "Whether its ground is white, or none."),
    ),
)
