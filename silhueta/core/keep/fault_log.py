"""The log of faults: rotated, never sent, and without anybody's names unless they are wanted."""

from __future__ import annotations

import logging
import re
from logging.handlers import RotatingFileHandler
from pathlib import Path as File

NAME = "silhueta.log"
_LARGEST, _KEPT = 400_000, 2  # bytes of a file, and older ones beside it: months of faults
_SHOWN = 60_000  # letters that are copied: the last faults
# where a line of ours stands is no secret, whose folder it is installed in is
_SOURCE = re.compile(r'"/[^"\n]*/((?:silhueta|PySide6|numpy|cv2|shapely|ezdxf)/[^"\n]*)"')
_PATH = re.compile(r"(?<![\w.])(?:~|/)[^\s:'\"“”<>|]*(?:/[^\n:'\"“”<>|]*)*")
_NAMED = re.compile(r"“[^”\n]*”|'[^'\n]*\.[A-Za-z0-9]{2,8}'")
_FILE = re.compile(
    r"[^\s'\"“”/]+\.(?:silhueta|jpe?g|png|heic|webp|avif|tiff?|bmp|gif|pdf|svg|dxf|nc|toml)\b",
    re.IGNORECASE,
)


def keep_log(folder: File) -> File:
    """Have warnings and faults kept in a folder, and return the file; a full disk keeps none."""
    file = folder / NAME
    try:
        folder.mkdir(parents=True, exist_ok=True)
        handler = RotatingFileHandler(file, "a", _LARGEST, _KEPT, "utf-8", delay=True)
    except OSError:
        return file
    handler.setLevel(logging.WARNING)
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s"))
    logging.raiseExceptions = False  # a log that cannot be written stops nobody
    logging.getLogger().addHandler(handler)
    return file


def told(text: str, *, names: bool) -> str:
    """Return a log as it may be shown to others: without paths and names, unless `names`.

    >>> told("cannot read /home/ana/heron.png: “Heron” is cut short", names=False)
    'cannot read (path): (name) is cut short'
    """
    if names:
        return text
    text = _SOURCE.sub(r'"\1"', text)
    text = _PATH.sub("(path)", text)
    return _FILE.sub("(name)", _NAMED.sub("(name)", text))


def last_of(file: File) -> str:
    """Return the end of the log; "" where there is none."""
    try:
        return file.read_text("utf-8", errors="replace")[-_SHOWN:]
    except OSError:
        return ""
