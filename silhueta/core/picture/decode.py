"""From a file's bytes to grey values, whatever the format.

Words used here
    grey     luma of ITU-R BT.601, 0 to 255 (8 bit) or 0 to 65535 (16 bit)
    dpi      pixels an inch as the file claims; 72 and 96 are what programs write when they do not
             know, and are taken as unknown
"""

from __future__ import annotations

import io
import os
import sys
import threading
import warnings
from collections.abc import Iterator
from contextlib import contextmanager, nullcontext
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from silhueta.core.errors import PictureError
from silhueta.core.job import PictureFile
from silhueta.core.picture.dither import dithered, undithered
from silhueta.core.picture.formats import FORMATS
from silhueta.core.picture.pages import DEFAULT_DPI, is_pdf, is_svg, pdf_page, svg_picture
from silhueta.core.whole_file import read_whole, readable

if TYPE_CHECKING:
    from PIL.Image import Image as ImageType

MOST_PIXELS = 200_000_000
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

    """

    grey: NDArray[np.uint8] | NDArray[np.uint16]
    dpi: float | None
    told_dpi: float | None
    format: str
    focal35: float | None = None
    pages: int = 1
    dithered: bool = False

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
        drawn, count = pdf_page(file, MOST_PIXELS)
        drawn.setflags(write=False)
        dpi = file.dpi or DEFAULT_DPI
        return Picture(drawn, dpi, dpi, "PDF", pages=count)
    if is_svg(file.data):
        return decode(svg_picture(file))
    image, told, focal, pages = _read(file, in_grey=True)
    with _named(file):
        grey = _to_grey(image)
    dots = grey.dtype == np.uint8 and dithered(grey.astype(np.uint8, copy=False))
    if dots:
        grey = undithered(grey.astype(np.uint8, copy=False))
    grey.setflags(write=False)
    trusted = told is not None and 10 <= told <= 20_000 and round(told, 1) not in _UNKNOWN_DPI
    kind = image.format or ""
    return Picture(grey, told if trusted else None, told, kind, focal, pages, dots)


class _Read(NamedTuple):
    """A picture as Pillow has it, upright, wholly read; what its file tells; and its pages."""

    image: ImageType
    dpi: float | None
    focal35: float | None
    pages: int


@contextmanager
def _named(file: PictureFile) -> Iterator[None]:
    """Make every fault of a decoder a sentence that names the file."""
    from PIL import Image, UnidentifiedImageError

    name = file.name or "the picture"
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # Pillow's own limit is lower than ours
            yield
    except PictureError:
        raise
    except UnidentifiedImageError as error:
        raise PictureError(
            f"{name} is not a picture that can be read; open a JPEG, PNG, HEIC, WebP, AVIF, TIFF, "
            "BMP, GIF or PDF"
        ) from error
    except (MemoryError, Image.DecompressionBombError) as error:
        raise PictureError(
            f"{name} is too large for this computer's memory; save it smaller"
        ) from error
    except Exception as error:  # a decoder met bytes it did not expect: their faults are many
        raise PictureError(
            f"{name} is damaged or cut short ({_first_line(error)}); copy or save it again"
        ) from error


def _read(file: PictureFile, in_grey: bool) -> _Read:
    """Return the picture in a file that is neither PDF nor SVG: the one door for all of them.

    Its pixels are read before anything else is asked of it. What asks for EXIF reads them, too,
    and keeps quiet where that fails: half of a damaged picture would pass for whole.
    """
    name = file.name or "the picture"
    with _named(file):
        image = _open(file.data)
        pages = int(getattr(image, "n_frames", 1)) if image.format == "TIFF" else 1
        if file.page and 0 <= file.page < pages:
            image.seek(file.page)
        if image.width * image.height > MOST_PIXELS:
            raise PictureError(
                f"{name} has {image.width} x {image.height} pixels; up to 200 megapixels can be "
                "opened, so save it smaller"
            )
        if in_grey and image.format == "JPEG" and image.mode == "RGB":
            image.draft("L", image.size)  # its luma, as stored
        with _quiet() if image.format == "TIFF" else nullcontext():
            image.load()
        kind = image.format
        told, focal = _told_dpi(image), _told_focal(image)
        image = _upright(image)
        image.format = kind
    if image.width * image.height == 0:
        raise PictureError(f"{name} has no pixels; save the picture again")
    return _Read(image, told, focal, pages)


_BY_ONE = threading.Lock()


@contextmanager
def _quiet() -> Iterator[None]:
    """Keep libtiff from writing to the standard error: what is wrong is said in a sentence."""
    with _BY_ONE:
        try:
            kept = os.dup(2)
        except OSError:  # there is none
            yield
            return
        try:
            with Path(os.devnull).open("wb") as nowhere:
                sys.stderr.flush()
                os.dup2(nowhere.fileno(), 2)
            yield
        finally:
            os.dup2(kept, 2)
            os.close(kept)


def _upright(image: ImageType) -> ImageType:
    """Return a picture turned as its EXIF says; as it is where that cannot be read."""
    from PIL import ImageOps

    try:
        return ImageOps.exif_transpose(image)
    except Exception:  # a file may hold anything here
        return image


def decode_colour(file: PictureFile) -> NDArray[np.uint8]:
    """Return the picture's colours, (H, W, 3) of red, green, blue, upright, on white.

    Raises
    ------
    PictureError
        As :func:`decode` does.

    """
    from PIL import Image

    if is_svg(file.data):
        return decode_colour(svg_picture(file))
    shown = decode(file)  # its checks and its sentences
    if is_pdf(file.data):
        return np.repeat(shown.grey[:, :, None], 3, axis=2).astype(np.uint8)
    image = _read(file, in_grey=False).image
    with _named(file):
        if image.mode[0] in "IF":  # greys of more than eight bits
            return np.repeat(shown.eight()[:, :, None], 3, axis=2)
        if image.mode in ("RGB", "L") and "transparency" not in image.info:
            found = np.asarray(image.convert("RGB"))
        else:
            clear = image.convert("RGBA")
            ground = Image.new("RGBA", clear.size, "white")
            ground.alpha_composite(clear)
            found = np.asarray(ground.convert("RGB"))
        return undithered(found) if shown.dithered else found


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


def _open(data: bytes) -> ImageType:
    from PIL import Image

    kinds = [kind for kind in FORMATS if kind != "HEIF"]
    if data[4:8] == b"ftyp":
        import pillow_heif

        pillow_heif.register_heif_opener()
        kinds.append("HEIF")
    limit = Image.MAX_IMAGE_PIXELS
    try:
        Image.MAX_IMAGE_PIXELS = None  # the check above is ours, made before anything is decoded
        return Image.open(io.BytesIO(data), formats=kinds)
    finally:
        Image.MAX_IMAGE_PIXELS = limit


def _told_dpi(image: ImageType) -> float | None:
    told: Any = image.info.get("dpi")
    try:
        across, down = (float(v) for v in told)  # a file may hold anything here
    except (TypeError, ValueError, ZeroDivisionError):
        return None
    if not (np.isfinite(across) and np.isfinite(down) and across > 0):
        return None
    if image.format == "PNG" and abs(across - round(across)) < 0.02:
        across = float(round(across))  # PNG keeps pixels a metre: 300 dpi comes back as 299.9994
    return across if abs(across - down) <= 0.01 * across + 0.02 else None


def _told_focal(image: ImageType) -> float | None:
    from PIL import ExifTags

    try:
        told = image.getexif().get_ifd(ExifTags.IFD.Exif).get(ExifTags.Base.FocalLengthIn35mmFilm)
        value = float(told)  # type: ignore[arg-type]
    except Exception:  # a file may hold anything here
        return None
    return value if 5 <= value <= 2000 else None


def _to_grey(image: ImageType) -> NDArray[np.uint8] | NDArray[np.uint16]:
    if image.mode in ("I;16", "I;16B", "I;16L", "I;16N"):
        return np.asarray(image).astype(np.uint16)
    if image.mode == "I":
        wide = np.asarray(image)
        return (
            np.clip(wide, 0, 65535).astype(np.uint16)
            if wide.max(initial=0) > 255
            else wide.astype(np.uint8)
        )
    if image.mode == "F":
        real = np.nan_to_num(np.asarray(image, dtype=np.float64))
        low, high = float(real.min()), float(real.max())
        unit = 255.0 if high <= 255 and low >= 0 and high > 1 else 0.0
        scaled = real if unit else (real - low) / max(high - low, 1e-12) * 255
        return np.round(scaled).astype(np.uint8)
    if image.mode in ("RGBA", "LA", "PA", "RGBa", "La") or "transparency" in image.info:
        from PIL import Image

        clear = image.convert("RGBA")
        ground = Image.new("RGBA", clear.size, "white")
        ground.alpha_composite(clear)
        image = ground
    return np.array(image.convert("L") if image.mode != "L" else image, dtype=np.uint8)


def _first_line(error: Exception) -> str:
    lines = str(error).strip().splitlines()
    return lines[0][:80] if lines else type(error).__name__
