"""What somebody's SVG or DXF has to offer: outlines, a picture stored inside, or both."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path as File
from typing import Literal, NamedTuple

import numpy as np

from silhueta.core.errors import FileError, PictureError, SilhuetaError
from silhueta.core.files.dxf_read import read_dxf
from silhueta.core.files.layer_names import OnLayer, worked
from silhueta.core.files.limits import MANY_SEGMENTS, MANY_SHAPES
from silhueta.core.files.svg_paint import Rgb, seen, unpainted, welded
from silhueta.core.files.svg_read import FileUnit, ReadDrawing, read_svg
from silhueta.core.geometry.measure import bounding_box
from silhueta.core.geometry.nesting import nest, orient
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, Path
from silhueta.core.geometry.transform import transform
from silhueta.core.job import Frame, Job, PictureFile, set_imported
from silhueta.core.picture.pages import svg_picture
from silhueta.core.tidy.widen import BROAD, broad, with_broad_widened


@dataclass(frozen=True, eq=False)
class DrawingOffer:
    """What a file holds.

    Parameters
    ----------
    file : PictureFile
    drawing : ReadDrawing or None
        Its outlines; None: it has none.
    picture : bool
        Whether a picture is stored in it.

    """

    file: PictureFile
    drawing: ReadDrawing | None
    picture: bool
    _jobs: dict[tuple[object, ...], Opening] = field(default_factory=dict)

    def sizes(self) -> dict[FileUnit, tuple[float, float]]:
        """Return width and height, mm, with the file's numbers taken as each unit."""
        assert self.drawing is not None
        found: dict[FileUnit, tuple[float, float]] = {}
        units: tuple[FileUnit, ...] = ("mm", "in", "px")
        for unit in units:
            left, bottom, right, top = bounding_box(self.drawing.taken_as(unit).paths)
            found[unit] = (right - left, top - bottom)
        return found

    def told(self) -> str:
        """Return a sentence on what was left out, or ""."""
        left_out = {} if self.drawing is None else dict(self.drawing.left_out)
        if self.picture:
            left_out.pop("pictures", None)
        return told_of(self.file.name, left_out)

    def broad(self, units: FileUnit | None = None) -> tuple[int, float]:
        """Return how many strokes are so wide that they may be meant as areas, and the widest."""
        assert self.drawing is not None
        drawing = self.drawing if units is None else self.drawing.taken_as(units)
        found = [] if not drawing.paints else broad(drawing.widths)
        return len(found), max((drawing.widths[i] for i in found), default=0.0)

    def job(
        self,
        units: FileUnit | None = None,
        widen: bool = False,
        overlaps: Overlaps = "auto",
        layers: Mapping[str, OnLayer] | None = None,
    ) -> Opening:
        """Return a job with the outlines and the page they came on, its lower left at (0, 0).

        `units`: what the file's numbers are; None: as it says, or an SVG's px and a DXF's mm.
        `widen`: broad strokes become the outline of what they cover. `overlaps`: filled shapes as
        they look, or each with all its lines. `layers`: how they are worked (:func:`on_page`).
        """
        key = (units, widen, overlaps, *sorted((layers or {}).items()))
        if key not in self._jobs:
            self._jobs[key] = self._job(units, widen, overlaps, layers)
        return self._jobs[key]

    def _job(
        self,
        units: FileUnit | None,
        widen: bool,
        overlaps: Overlaps,
        layers: Mapping[str, OnLayer] | None,
    ) -> Opening:
        drawing = self.drawing
        assert drawing is not None
        if units is not None:
            drawing = drawing.taken_as(units)
        outline, frame, hidden = on_page(drawing, overlaps, BROAD if widen else np.inf, layers)
        name = File(self.file.name).stem.replace("_", " ").strip() or "Untitled"
        job = set_imported(Job(), outline, name[:1].upper() + name[1:], frame)
        # a picture in it was asked about on opening, and not wanted
        job = replace(
            job, left_out=tuple((k, n) for k, n in drawing.left_out.items() if k == "texts")
        )
        return Opening(job, hidden)


Overlaps = Literal["auto", "weld", "lines"]


class Opening(NamedTuple):
    """A job with the outlines and their page, and how many shapes others hide."""

    job: Job
    hidden: int


class Placed(NamedTuple):
    """An outline, its page, and how many shapes others hide."""

    outline: Outline
    frame: Frame | None
    hidden: int


def told_of(name: str, left_out: dict[str, int]) -> str:
    """Return a sentence on what was left out of a file, or ""."""
    if not left_out:
        return ""
    parts = ", ".join(
        f"{count:,} {_one(kind) if count == 1 else kind}" for kind, count in left_out.items()
    )
    return f"Left out of {name}: {parts}."


def _one(kind: str) -> str:
    """Return what one of several is called."""
    words = {"hatches": "hatch", "shapes over 10 km away": "shape over 10 km away"}
    return words.get(kind, kind.removesuffix("s"))


def large(drawing: ReadDrawing) -> str:
    """Return what makes a drawing so large that working on it takes a minute or more, or ""."""
    shapes = len(drawing.paths)
    segments = sum(len(path.kinds) for path in drawing.paths)
    if shapes <= MANY_SHAPES and segments <= MANY_SEGMENTS:
        return ""
    paths = "one path" if shapes == 1 else f"{shapes:,} paths"
    return f"{segments:,} lines and curves in {paths}, which may take a minute or more"


def drawing_offer(file: PictureFile) -> DrawingOffer:
    """Return what an SVG or DXF holds.

    Raises
    ------
    FileError
        If it holds neither outlines nor a picture, or cannot be read.

    """
    if File(file.name).suffix.lower() == ".dxf":
        drawing = read_dxf(file.data, file.name)
        if not drawing.paths:
            raise FileError(
                f"{file.name} holds no outline; text must be turned into outlines in the program "
                "that made it"
            )
        return DrawingOffer(file, drawing, False)
    try:
        svg_picture(file)
        picture = True
    except PictureError:
        picture = False
    found: ReadDrawing | None = None
    try:
        found = read_svg(file.data, file.name)
    except SilhuetaError:
        if not picture:
            raise
    if found is not None and not found.paths:
        found = None
    if not picture and found is None:
        raise FileError(
            f"{file.name} holds neither outlines nor a picture; text must be turned into outlines "
            "in the program that made it"
        )
    return DrawingOffer(file, found, picture)


def on_page(
    drawing: ReadDrawing,
    overlaps: Overlaps = "auto",
    broader: float = np.inf,
    told: Mapping[str, OnLayer] | None = None,
) -> Placed:
    """Return the outline and its page, the page's lower left at (0, 0).

    Parameters
    ----------
    drawing : ReadDrawing
    overlaps : {"auto", "weld", "lines"}
        "auto": filled shapes as they look, and lines as they are; "weld": outlines drawn as lines
        are one where they cross, too; "lines": each shape with all its lines.
    broader : float, mm
        Strokes wider than this become the outline of what they cover.
    told : mapping of str to {"cut", "engrave", "mark", "skip"}, optional
        How layers are worked, by their names in small letters; others as the names say that we
        write, or cut.

    """
    layers = drawing.layers or ("",) * len(drawing.paths)
    known = {layer: worked(layer, told or {}) for layer in dict.fromkeys(layers)}
    how = [known[layer] for layer in layers]
    is_cut = [one.taken and one.operation == "cut" for one in how]
    cut, colours, hidden = _looking(_only(drawing, is_cut), overlaps, broader)
    if not drawing.paints:
        colours = [one.colour for one, cuts in zip(how, is_cut, strict=True) if cuts]
    contours: list[Contour] = []
    for colour in dict.fromkeys(colours):  # loops of two colours meet, and do not nest
        mine = [path for path, its in zip(cut, colours, strict=True) if its == colour]
        mine = welded(mine) if overlaps == "weld" else mine
        loops = [path for path in mine if isinstance(path, Loop)]
        turned = [*orient(loops, nest(loops)), *(p for p in mine if not isinstance(p, Loop))]
        contours.extend(Contour(path, origin="imported", colour=colour) for path in turned)
    contours.extend(
        Contour(path, one.taken, one.operation, "imported", chosen=not one.taken)
        for path, one, cuts in zip(drawing.paths, how, is_cut, strict=True)
        if not cuts
    )
    frame = drawing.frame
    if frame is not None and (frame[0] or frame[1]):
        shift = (-frame[0], -frame[1])
        contours = [replace(c, path=transform(c.path, np.eye(2), shift)) for c in contours]
        frame = (0.0, 0.0, frame[2] - frame[0], frame[3] - frame[1])
    return Placed(Outline(tuple(contours)), frame, hidden)


def _only(drawing: ReadDrawing, wanted: Sequence[bool]) -> ReadDrawing:
    """Return a drawing with some of its paths."""
    if all(wanted):
        return drawing
    paths = [path for path, its in zip(drawing.paths, wanted, strict=True) if its]
    paints = tuple(p for p, its in zip(drawing.paints, wanted, strict=False) if its)
    return replace(drawing, paths=paths, paints=paints, layers=())


def _looking(
    drawing: ReadDrawing, overlaps: Overlaps, broader: float
) -> tuple[list[Path], list[Rgb | None], int]:
    """Return what is seen of a drawing, the colour of each path, and how many shapes are hidden."""
    paths = drawing.paths
    colours: list[Rgb | None] = [None] * len(paths)
    hidden = 0
    if drawing.paints and overlaps != "lines" and not drawing.says_paint:
        paths = unpainted(paths, drawing.paints)
        colours = [None] * len(paths)
    elif drawing.paints and overlaps != "lines":
        paths, colours, hidden = seen(paths, drawing.paints, broader)
    elif np.isfinite(broader):
        # of a filled shape the line is its own edge
        widths = [0.0 if paint.fill else paint.width for paint in drawing.paints]
        paths = with_broad_widened(paths, widths, broader)
        colours = [None] * len(paths)
    return paths, colours, hidden
