"""The pictures that can be opened, by name and suffix."""

from __future__ import annotations

FORMATS = {
    "PNG": (".png",),
    "JPEG": (".jpg", ".jpeg"),
    "WEBP": (".webp",),
    "BMP": (".bmp",),
    "TIFF": (".tif", ".tiff"),
    "GIF": (".gif",),
}
SUFFIXES = tuple(suffix for suffixes in FORMATS.values() for suffix in suffixes)
