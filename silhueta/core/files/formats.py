"""The formats of cut files that can be written. A new one is a file, and a line here."""

from __future__ import annotations

from pathlib import Path as File

from silhueta.core.errors import FileError
from silhueta.core.files.dxf import DXF
from silhueta.core.files.format import Format
from silhueta.core.files.nc import NC
from silhueta.core.files.pdf import PDF
from silhueta.core.files.png import PNG
from silhueta.core.files.svg import SVG

FORMATS: tuple[Format, ...] = (DXF, SVG)
PLANNED: tuple[Format, ...] = (*FORMATS, NC)  # of a cut plan
SHOWN: tuple[Format, ...] = (PDF, PNG)  # of an outline, for people
EVERY: tuple[Format, ...] = (*PLANNED, *SHOWN)


def format_named(key: str) -> Format:
    """Return the format of that key; the first where there is none, as in a newer program's job."""
    return next((one for one in EVERY if one.key == key), FORMATS[0])


def format_of(target: File) -> Format:
    """Return the format that a file's name asks for.

    Raises
    ------
    FileError
        If it asks for none.

    """
    found = next((one for one in EVERY if one.suffix == target.suffix.lower()), None)
    if found is None:
        known = endings(", ", EVERY)
        raise FileError(f"{target.name} ends in none of {known}; give it one of these")
    return found


def endings(between: str = " or ", formats: tuple[Format, ...] = FORMATS) -> str:
    """Return the endings of formats, as a sentence has them."""
    return between.join(one.suffix for one in formats)
