"""Fonts for lettering: shipped ones, installed ones, and any file.

The shipped ones are under the SIL Open Font Licence; their licences lie beside them.
"""

from __future__ import annotations

import os
from functools import lru_cache
from pathlib import Path as File
from typing import TYPE_CHECKING, NamedTuple

from silhueta.core.errors import FileError

if TYPE_CHECKING:
    import uharfbuzz

FOLDER = File(__file__).parents[2] / "fonts"
_MOST = 64 << 20  # bytes of a font file
_ENDINGS = (".ttf", ".otf", ".ttc")
_DEEP = 4  # folders below a place of installed fonts
_MANY = 2_000  # installed fonts that are looked at


class Shipped(NamedTuple):
    """A font that comes with the program: what people call it, and its file."""

    name: str
    file: str
    stencil: bool = False


SHIPPED = (
    Shipped("Plain", "Barlow_600SemiBold.ttf"),
    Shipped("Narrow", "BarlowCondensed_700Bold.ttf"),
    Shipped("Slab", "Bitter_700Bold.ttf"),
    Shipped("Stencil", "SairaStencilOne_400Regular.ttf", stencil=True),
)
STENCIL = next(font.name for font in SHIPPED if font.stencil)


@lru_cache(maxsize=1)
def installed() -> dict[str, File]:
    """Return the fonts of this machine by the names of their files, without the shipped ones."""
    home = File(os.environ.get("XDG_DATA_HOME", str(File.home() / ".local/share")))
    places = [home / "fonts", File.home() / ".fonts"]
    places += [File("/usr/share/fonts"), File("/usr/local/share/fonts")]
    found: dict[str, File] = {}
    for place in places:
        base = len(place.parts)
        for folder, below, names in os.walk(place):
            if len(File(folder).parts) - base >= _DEEP:
                below.clear()
            for name in sorted(names):
                if name.lower().endswith(_ENDINGS) and len(found) < _MANY:
                    found.setdefault(File(name).stem, File(folder) / name)
    return found


def font_file(name: str) -> File:
    """Return the file of a font: shipped, installed, or named as a file.

    Raises
    ------
    FileError
        If there is none of that name.

    """
    for font in SHIPPED:
        if name.lower() == font.name.lower():
            return FOLDER / font.file
    asked = File(name)
    if asked.suffix.lower() in _ENDINGS and asked.is_file():
        return asked
    for stem, file in installed().items():
        if stem.lower() == name.lower():
            return file
    shipped = ", ".join(font.name for font in SHIPPED)
    raise FileError(
        f"there is no font {name}; take {shipped}, one that is installed, or a .ttf or .otf file"
    )


@lru_cache(maxsize=16)
def opened(name: str) -> uharfbuzz.Font:
    """Return a font, read.

    Raises
    ------
    FileError
        If it is not there, or no font.

    """
    import uharfbuzz

    file = font_file(name)
    try:
        if file.stat().st_size > _MOST:
            raise FileError(f"{file.name} is larger than a font can be; take another one")
        data = file.read_bytes()
    except OSError as error:
        raise FileError(f"{file.name} cannot be read ({error.strerror})") from error
    face = uharfbuzz.Face(uharfbuzz.Blob(data))
    if face.glyph_count == 0 or not 16 <= face.upem <= 16_384:
        raise FileError(f"{file.name} is damaged or no font; take another one")
    return uharfbuzz.Font(face)
