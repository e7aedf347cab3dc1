"""Pictures inside documents: a page of a PDF, the picture in an SVG."""

from __future__ import annotations

import base64
import binascii
import re

import numpy as np
from numpy.typing import NDArray

from silhueta.core.apart.ask import ask
from silhueta.core.apart.child import Allow, Says
from silhueta.core.apart.rehearse import rehearse_xml
from silhueta.core.errors import PictureError
from silhueta.core.job import PictureFile
from silhueta.core.picture.raster import MOST_PIXELS
from silhueta.core.wording import counted

DEFAULT_DPI = 300.0
MOST_SVG = 200_000_000  # bytes
_HREFS = ("{http://www.w3.org/1999/xlink}href", "href")


def is_pdf(data: bytes) -> bool:
    """Return whether the bytes are a PDF's."""
    return b"%PDF-" in data[:1024]


def is_svg(data: bytes) -> bool:
    """Return whether the bytes look like an SVG's."""
    head = data[:4096].lstrip()
    return head.startswith(b"<") and b"<svg" in data[:65536]


def pdf_page(file: PictureFile) -> tuple[NDArray[np.uint8], int]:
    """Return a page of a PDF in grey at the file's dpi, and how many pages there are.

    Raises
    ------
    PictureError
        If it is locked, damaged, has no such page, or the page is too large; or if what draws it
        dies, takes too long or too much memory.

    """
    told = {"name": file.name or "the PDF", "page": file.page, "dpi": file.dpi or DEFAULT_DPI}
    says, body = ask(page_task, told, file.data, PictureError)
    page = np.frombuffer(body or b"", np.uint8).reshape(says["shape"])
    page.setflags(write=False)
    return page, says["pages"]


def page_task(told: Says, data: bytes, allow: Allow) -> tuple[Says, memoryview]:
    """Draw a page of a PDF; :func:`pdf_page` asks for it."""
    import pypdfium2

    name, number, dpi = told["name"], told["page"], told["dpi"]
    try:
        document = pypdfium2.PdfDocument(data)
    except pypdfium2.PdfiumError as error:
        if "password" in str(error).lower():
            raise PictureError(
                f"{name} is locked with a password; open it in a reader, print it to a new PDF, "
                "and open that"
            ) from error
        raise PictureError(f"{name} is damaged or cut short; copy or save it again") from error
    try:
        count = len(document)
        if not 0 <= number < count:
            raise PictureError(
                f"{name} has {counted(count, 'page')}, and no page {number + 1}; choose another"
            )
        page = document[number]
        width, height = (side * dpi / 72 for side in page.get_size())
        if width * height > MOST_PIXELS:
            raise PictureError(
                f"page {number + 1} of {name} would have {width * height / 1e6:,.0f} megapixels "
                f"at {dpi:g} dpi; choose fewer dpi"
            )
        allow(int(width * height))
        shown = page.render(scale=dpi / 72, grayscale=True)
        drawn = np.array(shown.to_numpy(), np.uint8).reshape(shown.height, shown.width)
        return {"shape": drawn.shape, "pages": count}, drawn.data
    except pypdfium2.PdfiumError as error:
        raise PictureError(
            f"page {number + 1} of {name} cannot be drawn; save the PDF again"
        ) from error
    finally:
        document.close()


def svg_picture(file: PictureFile) -> PictureFile:
    """Return the largest picture that is stored inside an SVG.

    Raises
    ------
    PictureError
        If there is none, it lies in another file, or the SVG is not one.

    """
    from xml.etree.ElementTree import ParseError

    from defusedxml.common import DefusedXmlException
    from defusedxml.ElementTree import fromstring

    name = file.name or "the SVG"
    if len(file.data) > MOST_SVG:
        raise PictureError(f"{name} is over 200 MB; save it smaller")
    rehearse_xml(file.data, name, PictureError)
    try:
        root = fromstring(file.data)
    except DefusedXmlException as error:
        raise PictureError(
            f"{name} defines entities, as files do that are meant to do harm; save it anew from "
            "the program that made it"
        ) from error
    except (ParseError, ValueError, LookupError) as error:
        raise PictureError(f"{name} is damaged or cut short; copy or save it again") from error
    found: list[bytes] = []
    elsewhere = 0
    for element in root.iter():
        if not str(element.tag).endswith("image"):
            continue
        link = next((element.get(key) for key in _HREFS if element.get(key)), "") or ""
        inside = re.match(r"data:image/[\w.+-]+;base64,", link)
        if inside is None:
            elsewhere += 1
            continue
        try:
            found.append(base64.b64decode(link[inside.end() :]))
        except (binascii.Error, ValueError):
            elsewhere += 1
    if not found:
        if elsewhere:
            raise PictureError(f"the picture in {name} lies in another file; open that one")
        raise PictureError(f"there is no picture in {name}, only outlines; open it in the window")
    return PictureFile(max(found, key=len), name)
