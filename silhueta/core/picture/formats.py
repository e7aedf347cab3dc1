"""The pictures that can be opened, by name and suffix."""

from __future__ import annotations

# as Pillow names them (HEIF with its plug-in); PDF and SVG are opened by readers of their own
FORMATS = {
    "PNG": (".png",),
    "JPEG": (".jpg", ".jpeg"),
    "WEBP": (".webp",),
    "HEIF": (".heic", ".heif"),
    "AVIF": (".avif",),
    "BMP": (".bmp",),
    "TIFF": (".tif", ".tiff"),
    "GIF": (".gif",),
}
PAGES = {"PDF": (".pdf",), "SVG": (".svg",)}
SUFFIXES = tuple(suffix for kind in (FORMATS, PAGES) for group in kind.values() for suffix in group)
TITLES = ("JPEG", "PNG", "HEIC", "WebP", "AVIF", "TIFF", "BMP", "GIF", "PDF", "SVG")
