"""From a file's bytes to grey values, whatever the format.

Words used here
    grey     luma of ITU-R BT.601, 0 to 255 (8 bit) or 0 to 65535 (16 bit)
    dpi      pixels an inch as the file claims; 72 and 96 are what programs write when they do not
             know, and are taken as unknown
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from silhueta.core.errors import PictureError
from silhueta.core.job import PictureFile
from silhueta.core.picture.dither import undithered
from silhueta.core.picture.pages import DEFAULT_DPI, is_pdf, is_svg, pdf_page, svg_picture
from silhueta.core.picture.raster import pixels_of
from silhueta.core.whole_file import read_whole, readable

MOST_BYTES = 1_000_000_000
_UNKNOWN_DPI = (72.0, 96.0)


@dataclass(frozen=True, eq=False)
class Picture:
    """A decoded picture.

    Parameters
    ----------
    grey : (H, W) array of uint8 or uint16, read-only
    dpi : float or None
        What the file says, unless that is 72, 96 or nonsense.
    told_dpi : float or None
        What the file says in any case.
    format : str
        "PNG", "JPEG", ...
    focal35 : float or None
        The camera's 35-mm equivalent focal length, mm, as the file says.
    pages : int
        Of the file.
    dithered : bool
        Its shades were dots of a few values; they are smoothed here.
    caught : bool
        Whether its file names a camera or scanner.
    palette : bool
        Whether it was kept as numbers of a few colours, or as black and white.

    """

    grey: NDArray[np.uint8] | NDArray[np.uint16]
    dpi: float | None
    told_dpi: float | None
    format: str
    focal35: float | None = None
    pages: int = 1
    dithered: bool = False
    caught: bool = False
    palette: bool = False

    def eight(self) -> NDArray[np.uint8]:
        """Return the greys, 0 to 255."""
        return eight(self.grey)

    @property
    def width(self) -> int:
        """Width in px."""
        return int(self.grey.shape[1])

    @property
    def height(self) -> int:
        """Height in px."""
        return int(self.grey.shape[0])

    @property
    def top(self) -> float:
        """The grey value of white: 255 or 65535."""
        return 255.0 if self.grey.dtype == np.uint8 else 65535.0


def eight(grey: NDArray[Any]) -> NDArray[np.uint8]:
    """Return greys of 8 or 16 bit as 8 bit."""
    return grey if grey.dtype == np.uint8 else (grey >> 8).astype(np.uint8)


def read_picture_file(path: Path) -> PictureFile:
    """Return the bytes and name of the picture at `path`.

    Raises
    ------
    PictureError
        If it cannot be read, is empty, is no file, or is over 1 GB.

    """
    data = read_whole(path, MOST_BYTES, PictureError)
    return PictureFile(data, readable(path.name))


def decode(file: PictureFile) -> Picture:
    """Return the picture in `file`: upright by its EXIF, transparent parts on white, in grey.

    Raises
    ------
    PictureError
        If it is no picture of a known format, is damaged or cut short, or has over 200 megapixels.

    """
    if is_pdf(file.data):
        drawn, count = pdf_page(file)
        drawn.setflags(write=False)
        dpi = file.dpi or DEFAULT_DPI
        return Picture(drawn, dpi, dpi, "PDF", pages=count)
    if is_svg(file.data):
        return decode(svg_picture(file))
    read = pixels_of(file, colours=False)
    grey = undithered(eight(read.pixels)) if read.dithered else read.pixels
    grey.setflags(write=False)
    told = read.dpi
    trusted = told is not None and 10 <= told <= 20_000 and round(told, 1) not in _UNKNOWN_DPI
    sure = told if trusted else None
    return Picture(
        grey,
        sure,
        told,
        read.format,
        read.focal35,
        read.pages,
        read.dithered,
        read.caught,
        read.palette,
    )


def decode_colour(file: PictureFile) -> NDArray[np.uint8]:
    """Return the picture's colours, (H, W, 3) of red, green, blue, upright, on white.

    Raises
    ------
    PictureError
        As :func:`decode` does.

    """
    if is_svg(file.data):
        return decode_colour(svg_picture(file))
    if is_pdf(file.data):
        return np.repeat(decode(file).eight()[:, :, None], 3, axis=2)
    read = pixels_of(file, colours=True)
    found = eight(read.pixels)
    if found.ndim == 2:
        found = np.repeat(found[:, :, None], 3, axis=2)
    return undithered(found) if read.dithered else found


def colour_at(file: PictureFile, x: float, y: float) -> tuple[int, int, int]:
    """Return the mean red, green and blue of the 5 x 5 pixels round (x, y) px, 0 to 255.

    Raises
    ------
    PictureError
        As :func:`decode` does.

    """
    colours = decode_colour(file)
    height, width = colours.shape[:2]
    column = min(max(int(x), 2), max(width - 3, 2))
    row = min(max(int(y), 2), max(height - 3, 2))
    around = colours[row - 2 : row + 3, column - 2 : column + 3].reshape(-1, 3)
    red, green, blue = around.mean(0).round().astype(int).tolist()
    return red, green, blue
