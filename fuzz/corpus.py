"""Sound files of every kind that strangers send, small, and the words that break them.

All are made here, at random places none: the same corpus every time.
"""

from __future__ import annotations

import gzip
import io
import logging
from collections.abc import Callable

import numpy as np

Files = list[tuple[str, bytes]]  # name, bytes


def pictures() -> Files:
    """Return pictures in the kinds that are read most, grey, coloured, 16 bits deep and paged."""
    from PIL import Image

    grey = np.full((60, 80), 235, np.uint8)
    grey[15:45, 20:60] = 30
    colour = np.dstack([grey, 255 - grey, grey])
    one, rgb = Image.fromarray(grey), Image.fromarray(colour)
    found: Files = []

    def add(name: str, image: Image.Image, **how: object) -> None:
        stream = io.BytesIO()
        image.save(stream, **how)  # type: ignore[arg-type]
        found.append((name, stream.getvalue()))

    exif = Image.Exif()
    exif[0x0112], exif[0x0131] = 6, "shop"
    add("grey.png", one, format="PNG", dpi=(300, 300))
    add("colour.png", rgb, format="PNG")
    add("palette.png", rgb.quantize(8), format="PNG")
    add("deep.png", Image.fromarray(grey.astype(np.uint16) * 257), format="PNG")
    add("colour.jpg", rgb, format="JPEG", exif=exif, quality=80)
    add("grey.tif", one, format="TIFF", compression="tiff_lzw")
    pair = one.copy(), Image.fromarray(255 - grey)
    add("pages.tif", pair[0], format="TIFF", save_all=True, append_images=[pair[1]])
    add("grey.bmp", one, format="BMP")
    add("colour.webp", rgb, format="WEBP")
    add("colour.gif", rgb.quantize(4), format="GIF")
    return found


def drawings() -> Files:
    """Return SVG and DXF drawings: shapes, uses, styles, blocks, splines, binary, packed."""
    import ezdxf

    logging.getLogger("ezdxf").setLevel(logging.ERROR)  # R12 has no units, as it would say
    head = b'<svg xmlns="http://www.w3.org/2000/svg" width="80mm" height="60mm" '
    head += b'viewBox="0 0 80 60">'
    body = (
        b'<defs><g id="a"><circle cx="5" cy="5" r="4"/></g></defs>'
        b'<path d="M10 10 H70 V50 C60 55 20 55 10 50 Z M20 20 a5 4 30 1 0 9 1 q2 3 4 0 z"/>'
        b'<use href="#a" x="30" y="30"/><g transform="rotate(20 4 4) scale(2 1)">'
        b'<rect x="3" y="3" width="9" height="5" rx="1" style="stroke:#000;fill:none"/></g>'
        b'<polygon points="1,1 6,1 6,6"/><ellipse cx="60" cy="9" rx="5" ry="3" stroke="red"/></svg>'
    )
    found: Files = [("shapes.svg", head + body), ("shapes.svgz", gzip.compress(head + body))]
    found.append(("shapes16.svg", (head + body).decode().encode("utf-16")))
    for version in ("R12", "R2000", "R2010"):
        document = ezdxf.new(version, units=4)
        block = document.blocks.new("PART")
        block.add_circle((0, 0), 3)
        space = document.modelspace()
        space.add_line((0, 0), (50, 0))
        space.add_arc((50, 10), 10, -90, 90)
        space.add_polyline2d([(50, 20, 0.2), (0, 20, 0), (0, 0, 0)], format="xyb")
        space.add_blockref("PART", (20, 10))
        if version != "R12":
            space.add_spline([(5, 5), (10, 9), (15, 3), (20, 8)])
            space.add_ellipse((30, 10), (6, 0), 0.5)
            space.add_lwpolyline([(2, 2, 0, 0, 0.5), (8, 2), (8, 8)], close=True)
        text = io.StringIO()
        document.write(text)
        found.append((f"{version}.dxf", text.getvalue().encode()))
    binary = io.BytesIO()
    document.write(binary, fmt="bin")
    found.append(("binary.dxf", binary.getvalue()))
    return found


def pages() -> Files:
    """Return a PDF of one page."""
    from reportlab.pdfgen.canvas import Canvas

    stream = io.BytesIO()
    canvas = Canvas(stream, pagesize=(200, 150), pageCompression=0)
    canvas.rect(40, 40, 90, 60, fill=1)
    canvas.showPage()
    canvas.save()
    return [("page.pdf", stream.getvalue())]


def jobs() -> Files:
    """Return job files: an empty one, and one with picture and outline."""
    from silhueta.core.datums import DpiDatum
    from silhueta.core.files.job_file import job_bytes
    from silhueta.core.geometry.outline import Contour, Outline
    from silhueta.core.geometry.path import Loop, circle_loop
    from silhueta.core.job import Job, PictureFile

    square = Loop(np.array([[0, 0], [40, 0], [40, 30], [0, 30.0]]))
    full = Job(
        name="plate",
        picture=PictureFile(pictures()[0][1], "grey.png"),
        datums=(DpiDatum(300.0),),
        outline=Outline((Contour(square), Contour(circle_loop((20, 15), 5)))),
    )
    return [("empty.silhueta", job_bytes(Job())), ("plate.silhueta", job_bytes(full))]


def journals() -> Files:
    """Return a journal of a few steps, a mark and a save."""
    import tempfile
    from dataclasses import replace
    from pathlib import Path

    from silhueta.core.geometry.outline import Contour, Outline
    from silhueta.core.geometry.path import circle_loop
    from silhueta.core.job import Job, PictureFile
    from silhueta.core.keep.history import Told
    from silhueta.core.keep.journal import Journal

    first = replace(Job("plate"), picture=PictureFile(pictures()[0][1], "grey.png"))
    told = [Told("began", first)]
    for k in range(5):
        loops = tuple(Contour(circle_loop((20.0 * n, 0.0), 5)) for n in range(k + 1))
        job = replace(first, outline=Outline(loops))
        told.append(Told("step", job, f"Draw {k}", False, k + 1, True))
    told += [Told("marked", job, "mark", version=5), Told("went", told[3].job, "", False, 3, True)]
    with tempfile.TemporaryDirectory() as name:
        journal = Journal(Path(name))
        journal.write(told)
        journal.close(keep=True)
        return [("left.journal", journal.file.read_bytes())]


def recipes() -> Files:
    """Return a recipe."""
    text = b'[trace]\ndpi = 300\ncolour = ["#ff0000", "#00ff00"]\n[output]\nformats = ["dxf"]\n'
    return [("recipe.toml", text)]


KINDS: dict[str, Callable[[], Files]] = {
    "pictures": pictures,
    "drawings": drawings,
    "pages": pages,
    "jobs": jobs,
    "journals": journals,
    "recipes": recipes,
}
# what mutations put in: numbers at the ends of what can be held, and what readers split at
WORDS = (
    *(b"0", b"-1", b"1e308", b"-1e-308", b"nan", b"inf", b"4294967295", b"99999999999999999999"),
    *(b"\x00", b"\xff\xff\xff\xff", b"\n0\nINSERT\n2\nPART\n", b"<use href='#a'/>", b"]]>", b"&"),
    *(b'"', b"}", b"id='a'", b"  0\r\nSPLINE\r\n", b"url(#a)", b"M", b"scale(0)", b"%PDF", b"PK"),
)


def mutated(data: bytes, random: np.random.Generator) -> bytes:
    """Return a file with one to five things done to it."""
    made = bytearray(data)
    for _ in range(int(random.integers(1, 6))):
        size = max(len(made), 1)
        at = int(random.integers(0, size))
        long = int(random.integers(1, max(size // 8, 2)))
        match int(random.integers(0, 7)):
            case 0:
                made[at : at + 1] = bytes([int(random.integers(0, 256))])
            case 1:
                del made[at : at + long]
            case 2:
                made[at:at] = made[at : at + long]
            case 3:
                made[at:at] = WORDS[int(random.integers(0, len(WORDS)))]
            case 4:
                _number_changed(made, at, random)
            case 5:
                del made[at:]
            case 6:
                other = int(random.integers(0, size))
                made[at : at + long] = made[other : other + long]
    return bytes(made)


def _number_changed(made: bytearray, at: int, random: np.random.Generator) -> None:
    """Put another number in place of the next one from `at` on."""
    digits = b"0123456789.-+eE"
    while at < len(made) and made[at] not in digits:
        at += 1
    end = at
    while end < len(made) and made[end] in digits:
        end += 1
    made[at:end] = WORDS[int(random.integers(0, 8))]
