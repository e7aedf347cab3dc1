"""One page on many pictures, as a person looks through it: picture, outline, sizes, findings."""

from __future__ import annotations

import base64
import html
from collections.abc import Mapping, Sequence
from pathlib import Path as File

import cv2

from silhueta.core.files.atomic import write_whole
from silhueta.core.files.preview import small_picture
from silhueta.core.keep.batch import Row
from silhueta.core.keep.entry import picture_in

_SMALL = 200  # px of the longer side of a picture on the page
_QUALITY = 80  # of its JPEG: 5 to 10 kB each
_STYLE = """
body { font: 15px/1.4 sans-serif; margin: 24px; background: #f7f4e9; color: #24292d }
h1 { font-size: 22px; margin: 0 0 4px } p { margin: 0 0 16px; color: #5c6166 }
table { border-collapse: collapse; width: 100% } th, td { text-align: left; padding: 8px 12px;
border-bottom: 1px solid #d9d2bd; vertical-align: middle } th { color: #5c6166; font-weight: 600 }
img { display: block; max-width: 160px; max-height: 120px; background: #fff }
td.n { white-space: nowrap; font-variant-numeric: tabular-nums }
tr.failed td { background: #f6e3cf } .why { color: #8a4a00; max-width: 38em }
"""


def page(rows: Sequence[Row], pictures: Mapping[str, File], folder: File, name: str) -> str:
    """Return the page as HTML with everything in it.

    Parameters
    ----------
    rows : sequence of Row
    pictures : mapping of str to Path
        Of rows, by the names of their files.
    folder : Path
        Where the jobs are.
    name : str
        Of the recipe.

    """
    failed = sum(row.state != "done" for row in rows)
    found = sum(bool(row.findings) for row in rows)
    told = f"{len(rows)} pictures, {failed} failed, {found} with findings; recipe {name}"
    lines = [
        "<!DOCTYPE html><html lang='en'><head><meta charset='utf-8'>",
        f"<title>{html.escape(told)}</title><style>{_STYLE}</style></head><body>",
        f"<h1>Many at once</h1><p>{html.escape(told)}</p><table><thead><tr>",
        *(f"<th>{head}</th>" for head in ("Picture", "Outline", "File", "Width", "Height")),
        "<th>Loops</th><th>Findings</th><th>Seconds</th></tr></thead><tbody>",
    ]
    lines += [_line(row, pictures.get(row.file), folder) for row in rows]
    return "".join([*lines, "</tbody></table></body></html>\n"])


def _line(row: Row, picture: File | None, folder: File) -> str:
    outline = picture_in(folder / row.job) if row.job else None
    state = "" if row.state == "done" else "<br><b>▲ failed</b>"
    why = f"<div class='why'>{html.escape(row.error)}</div>" if row.error else ""
    cells = [
        _image(_small(picture), "image/jpeg", f"picture {row.file}"),
        _image(outline or b"", "image/png", f"outline of {row.file}"),
        f"{html.escape(row.file)}{state}{why}",
        _size(row.width_mm, row.width_sigma_mm),
        _size(row.height_mm, row.height_sigma_mm),
        "" if row.loops is None else str(row.loops),
        "" if row.findings is None else str(row.findings),
        f"{row.seconds:.1f}",
    ]
    inner = "".join(f"<td{' class=n' if k > 2 else ''}>{cell}</td>" for k, cell in enumerate(cells))
    return f"<tr class='{html.escape(row.state)}'>{inner}</tr>"


def _size(mm: float | None, sigma: float | None) -> str:
    if mm is None:
        return ""
    off = f" ± {2 * sigma:.2f}" if sigma else ""  # within which 95 % lie, as the window has it
    return f"{mm:.2f}{off} mm"


def _image(data: bytes, kind: str, words: str) -> str:
    if not data:
        return ""
    told = base64.b64encode(data).decode()
    return f"<img alt='{html.escape(words, quote=True)}' src='data:{kind};base64,{told}'>"


def _small(picture: File | None) -> bytes:
    """Return a small JPEG of a picture; nothing of one that OpenCV does not know."""
    try:
        small = None if picture is None else small_picture(picture.read_bytes(), _SMALL)
    except OSError:
        return b""
    if small is None:
        return b""
    ready, written = cv2.imencode(".jpg", small, [cv2.IMWRITE_JPEG_QUALITY, _QUALITY])
    return written.tobytes() if ready else b""


def write_page(
    rows: Sequence[Row], pictures: Mapping[str, File], folder: File, name: str, target: File
) -> None:
    """Write the page, whole or not at all."""
    write_whole(target, page(rows, pictures, folder, name).encode())
