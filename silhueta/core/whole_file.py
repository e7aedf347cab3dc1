"""A stranger's file as bytes: bounded, and a file at all."""

from __future__ import annotations

import os
import stat
from pathlib import Path

from silhueta.core.errors import SilhuetaError


def read_whole(path: Path, most: int, kind: type[SilhuetaError]) -> bytes:
    """Return the bytes of `path`.

    Parameters
    ----------
    path : Path
    most : int
        Bytes.
    kind : type
        What is raised.

    Raises
    ------
    SilhuetaError
        If it cannot be read, is empty or too large, or is a pipe or a device, which may never end.

    """
    try:
        status = path.stat()
        if stat.S_ISDIR(status.st_mode):
            raise kind(f"{path.resolve()} is a folder; give a file in it")
        if not stat.S_ISREG(status.st_mode):
            raise kind(f"{path} is a pipe or a device, which may never end; save it as a file")
        if status.st_size > most:
            raise kind(
                f"{path.name} is over {most / 1e6:,.0f} MB, more than can be read; save it smaller"
            )
        data = path.read_bytes()
    except (OSError, ValueError) as error:
        reason = (getattr(error, "strerror", None) or "it cannot be read").lower()
        raise kind(f"cannot open {path}: {reason}; check the name and the rights") from error
    if not data:
        raise kind(f"{path.name} is empty (0 bytes); copy or save it again")
    return data


def readable(name: str) -> str:
    """Return a file's name with what is not UTF-8 in it replaced, to be shown and kept."""
    return os.fsencode(name).decode("utf-8", "replace")
