"""Pictures of every kind but PDF and SVG, decoded by Pillow and the libraries below it.

Runs apart (:mod:`silhueta.core.apart`): those libraries are written in C, and files come from
strangers.

Words used here
    grey     luma of ITU-R BT.601, 0 to 255 (8 bit) or 0 to 65535 (16 bit)
    raster   what a file's pixels are: greys (H, W), or red, green and blue (H, W, 3)
"""

from __future__ import annotations

import io
import warnings
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from silhueta.core.apart.ask import ask
from silhueta.core.apart.child import Allow, Says
from silhueta.core.errors import PictureError
from silhueta.core.picture.dither import FEW, dithered
from silhueta.core.picture.formats import FORMATS
from silhueta.core.picture.tone import in_srgb

if TYPE_CHECKING:
    from PIL.Image import Image as ImageType

    from silhueta.core.job import PictureFile

MOST_PIXELS = 200_000_000
_BAND = 512  # rows that are converted at once


@dataclass(frozen=True, eq=False)
class Raster:
    """What a picture's file holds.

    Parameters
    ----------
    pixels : (H, W) array of uint8 or uint16, or (H, W, 3) array of uint8
        Greys, or red, green and blue.
    format : str
        "PNG", "JPEG", ...
    dpi, focal35 : float or None
        As the file tells: pixels an inch, and the 35-mm equivalent focal length in mm.
    pages : int
    dithered : bool
        Its shades are dots of a few values.
    caught : bool
        Whether it names a camera or scanner, or how it was exposed.
    palette : bool
        Whether its pixels are numbers of a few colours, or black and white.

    """

    pixels: NDArray[np.uint8] | NDArray[np.uint16]
    format: str
    dpi: float | None
    focal35: float | None
    pages: int
    dithered: bool
    caught: bool
    palette: bool


def pixels_of(file: PictureFile, colours: bool) -> Raster:
    """Return the picture in a file that is neither PDF nor SVG, upright by its EXIF, on white.

    With `colours`, pictures of more than eight bits are given in grey all the same.

    Raises
    ------
    PictureError
        If it is no picture of a known format, is damaged or cut short, or has over 200 megapixels;
        or if what decodes it dies, takes too long or too much memory.

    """
    told = {"name": file.name, "page": file.page, "colours": colours}
    says, body = ask(picture_task, told, file.data, PictureError)
    kind: Any = says.pop("kind")
    pixels: NDArray[Any] = np.frombuffer(body or b"", kind).reshape(says.pop("shape"))
    pixels.setflags(write=False)
    return Raster(pixels, **says)


def picture_task(told: Says, data: bytes, allow: Allow) -> tuple[Says, memoryview]:
    """Decode a picture; :func:`pixels_of` asks for it."""
    name = told["name"] or "the picture"
    with _named(name):
        read = _read(name, data, int(told["page"]), allow, not told["colours"])
        image = read.pop("image")
        if image.mode[0] in "IF":
            pixels = _wide(image)
            dots = pixels.dtype == np.uint8 and dithered(pixels.astype(np.uint8, copy=False))
        else:
            pixels = _banded(image, "RGB" if told["colours"] else "L")
            dots = _few(image) and dithered(_banded(image, "L"))
    said = {"kind": pixels.dtype.str, "shape": pixels.shape, "dithered": dots, **read}
    return said, np.ascontiguousarray(pixels).data


@contextmanager
def _named(name: str) -> Iterator[None]:
    """Make every fault of a decoder a sentence that names the file."""
    from PIL import Image, UnidentifiedImageError

    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")  # Pillow's own limit is lower than ours
            yield
    except (PictureError, MemoryError):
        raise
    except UnidentifiedImageError as error:
        raise PictureError(
            f"{name} is not a picture that can be read; open a JPEG, PNG, HEIC, WebP, AVIF, TIFF, "
            "BMP, GIF or PDF"
        ) from error
    except Image.DecompressionBombError as error:
        raise MemoryError from error
    except Exception as error:  # a decoder met bytes it did not expect: their faults are many
        raise PictureError(
            f"{name} is damaged or cut short ({_first_line(error)}); copy or save it again"
        ) from error


def _read(name: str, data: bytes, page: int, allow: Allow, in_grey: bool) -> dict[str, Any]:
    """Return the picture, upright, and what its file tells.

    Its pixels are read before anything else is asked of it. What asks for EXIF reads them, too,
    and keeps quiet where that fails: half of a damaged picture would pass for whole.
    """
    image = _open(data)
    pages = int(getattr(image, "n_frames", 1)) if image.format == "TIFF" else 1
    if page and 0 <= page < pages:
        image.seek(page)
    if image.width * image.height > MOST_PIXELS:
        raise PictureError(
            f"{name} has {image.width} x {image.height} pixels; up to 200 megapixels can be "
            "opened, so save it smaller"
        )
    allow(image.width * image.height)
    if in_grey and image.format == "JPEG" and image.mode == "RGB":
        image.draft("L", image.size)  # its luma, as stored
    image.load()
    said = {
        "format": image.format or "",
        "dpi": _told_dpi(image),
        "focal35": _told_focal(image),
        "pages": pages,
        "caught": _told_maker(image),
        "palette": image.mode in ("P", "1"),
    }
    image = in_srgb(_upright(image))
    if image.width * image.height == 0:
        raise PictureError(f"{name} has no pixels; save the picture again")
    return {"image": image, **said}


def _upright(image: ImageType) -> ImageType:
    """Return a picture turned as its EXIF says; as it is where that cannot be read."""
    from PIL import ImageOps

    try:
        return ImageOps.exif_transpose(image)
    except Exception:  # a file may hold anything here
        return image


def _banded(image: ImageType, mode: str) -> NDArray[np.uint8]:
    """Return a picture's greys ("L") or colours ("RGB") on white, with no large copies made."""
    width, height = image.size
    made = np.empty((height, width) if mode == "L" else (height, width, 3), np.uint8)
    for top, band in _bands(image):
        made[top : top + band.height] = np.asarray(band.convert(mode))
    return made


def _bands(image: ImageType) -> Iterator[tuple[int, ImageType]]:
    """Yield the first row of each band of a picture, and the band, on white."""
    from PIL import Image

    clear = image.mode in ("RGBA", "LA", "PA", "RGBa", "La") or "transparency" in image.info
    for top in range(0, image.height, _BAND):
        band = image.crop((0, top, image.width, min(top + _BAND, image.height)))
        if clear:
            ground = Image.new("RGBA", band.size, "white")
            ground.alpha_composite(band.convert("RGBA"))
            band = ground
        yield top, band


def _few(image: ImageType) -> bool:
    """Return whether a picture has so few grey values that its shades may be dots."""
    counts = np.zeros(256, np.intp)
    for _, band in _bands(image):
        counts += band.convert("L").histogram()
        if np.count_nonzero(counts) > FEW:
            return False
    return True


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


def _told_maker(image: ImageType) -> bool:
    from PIL import ExifTags

    try:
        told = image.getexif()
        base, exif = ExifTags.Base, told.get_ifd(ExifTags.IFD.Exif)
        return bool(told.get(base.Make) or told.get(base.Model) or exif.get(base.ExposureTime))
    except Exception:  # a file may hold anything here
        return False


def _told_focal(image: ImageType) -> float | None:
    from PIL import ExifTags

    try:
        told = image.getexif().get_ifd(ExifTags.IFD.Exif).get(ExifTags.Base.FocalLengthIn35mmFilm)
        value = float(told)  # type: ignore[arg-type]
    except Exception:  # a file may hold anything here
        return None
    return value if 5 <= value <= 2000 else None


def _wide(image: ImageType) -> NDArray[np.uint8] | NDArray[np.uint16]:
    """Return greys of more than eight bits."""
    if image.mode in ("I;16", "I;16B", "I;16L", "I;16N"):
        return np.asarray(image).astype(np.uint16)
    if image.mode == "I":
        wide = np.asarray(image)
        return (
            np.clip(wide, 0, 65535).astype(np.uint16)
            if wide.max(initial=0) > 255
            else wide.astype(np.uint8)
        )
    real = np.nan_to_num(np.asarray(image, dtype=np.float64))
    low, high = float(real.min()), float(real.max())
    unit = 255.0 if high <= 255 and low >= 0 and high > 1 else 0.0
    scaled = real if unit else (real - low) / max(high - low, 1e-12) * 255
    return np.round(scaled).astype(np.uint8)


def _first_line(error: Exception) -> str:
    lines = str(error).strip().splitlines()
    return lines[0][:80] if lines else type(error).__name__
