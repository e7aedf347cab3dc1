"""What somebody's SVG has to offer: outlines, a picture stored inside, or both."""

from __future__ import annotations

from pathlib import Path as File
from typing import NamedTuple

from silhueta.core.errors import FileError, PictureError, SilhuetaError
from silhueta.core.files.svg_read import read_svg
from silhueta.core.geometry.nesting import nest, orient
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop, Path
from silhueta.core.job import Job, PictureFile, set_imported
from silhueta.core.picture.pages import svg_picture


class SvgOffer(NamedTuple):
    """The SVG, a job with its outlines (None: it has none), and whether a picture is stored in it.

    Lengths of the outlines are mm, at the size that the file gives them.
    """

    file: PictureFile
    outlines: Job | None
    picture: bool


def svg_offer(file: PictureFile) -> SvgOffer:
    """Return what an SVG holds.

    Raises
    ------
    FileError
        If it holds neither, or cannot be read.

    """
    try:
        svg_picture(file)
        picture = True
    except PictureError:
        picture = False
    try:
        paths = read_svg(file.data, file.name).paths
    except SilhuetaError:
        if not picture:
            raise
        paths = []
    if not picture and not paths:
        raise FileError(
            f"{file.name} holds neither outlines nor a picture; text must be turned into outlines "
            "in the program that made it"
        )
    return SvgOffer(file, _job(file, paths) if paths else None, picture)


def _job(file: PictureFile, paths: list[Path]) -> Job:
    loops = [path for path in paths if isinstance(path, Loop)]
    others = [path for path in paths if not isinstance(path, Loop)]
    turned = orient(loops, nest(loops))
    contours = tuple(Contour(path, origin="imported") for path in [*turned, *others])
    name = File(file.name).stem.replace("_", " ").strip() or "Untitled"
    return set_imported(Job(), Outline(contours), name[:1].upper() + name[1:])
