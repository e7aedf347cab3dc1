"""What somebody's SVG has to offer: outlines, a picture stored inside, or both."""

from __future__ import annotations

from pathlib import Path as File
from typing import NamedTuple

from silhueta.core.errors import FileError, PictureError, SilhuetaError
from silhueta.core.files.svg_read import read_svg
from silhueta.core.geometry.nesting import nest, orient
from silhueta.core.geometry.outline import Contour, Outline
from silhueta.core.geometry.path import Loop
from silhueta.core.job import Job, PictureFile, set_imported
from silhueta.core.picture.pages import svg_picture


class SvgOffer(NamedTuple):
    """How many outlines an SVG holds, and whether a picture as well."""

    outlines: int
    picture: bool


def svg_offer(file: PictureFile) -> SvgOffer:
    """Return what an SVG holds.

    Raises
    ------
    FileError, PictureError
        If it holds neither, or cannot be read.

    """
    try:
        svg_picture(file)
        picture = True
    except PictureError:
        picture = False
    try:
        outlines = len(read_svg(file.data, file.name).paths)
    except SilhuetaError:
        if not picture:
            raise
        outlines = 0
    if not picture and not outlines:
        raise FileError(
            f"{file.name} holds neither outlines nor a picture; text must be turned into outlines "
            "in the program that made it"
        )
    return SvgOffer(outlines, picture)


def job_from_svg(file: PictureFile) -> Job:
    """Return a job with the outlines of an SVG, at the size the file gives them.

    Raises
    ------
    FileError
        If it cannot be read, or holds no outlines.

    """
    paths = read_svg(file.data, file.name).paths
    if not paths:
        raise FileError(f"there are no outlines in {file.name}")
    loops = [path for path in paths if isinstance(path, Loop)]
    turned = orient(loops, nest(loops))
    others = [path for path in paths if not isinstance(path, Loop)]
    contours = tuple(Contour(path, origin="imported") for path in [*turned, *others])
    name = File(file.name).stem.replace("_", " ").strip() or "Untitled"
    return set_imported(Job(), Outline(contours), name[:1].upper() + name[1:])
