"""Files that appear whole or not at all."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from pathlib import Path as File

from silhueta.core.errors import FileError


def write_whole(target: File, data: bytes, prove: Callable[[bytes], None] | None = None) -> None:
    """Write `data` to `target`: into a file beside it, read back, proven, then put in its place.

    Parameters
    ----------
    target : Path
    data : bytes
    prove : callable of bytes, optional
        Given what the disk gives back; raises when it is not good.

    Raises
    ------
    FileError
        If the folder is missing or may not be written to, the disk is full, or `target` is a
        folder. Whatever `prove` raises. In every case `target` stays as it was.

    """
    target = target.expanduser()
    temporary: File | None = None
    try:
        if target.is_dir():
            raise FileError(f"{target} is a folder; give the name of a file in it")
        handle, name = tempfile.mkstemp(
            prefix=f".{target.name}.", suffix=".part", dir=target.parent
        )
        temporary = File(name)
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        if prove is not None:
            prove(temporary.read_bytes())
        temporary.chmod(_usual_mode(target))
        temporary.replace(target)
        temporary = None
    except OSError as error:
        reason = (error.strerror or "the system refused").lower()
        raise FileError(
            f"cannot write {target}: {reason}; "
            "choose a folder that exists and that you may write to"
        ) from error
    finally:
        if temporary is not None:
            temporary.unlink(missing_ok=True)


def _usual_mode(target: File) -> int:
    if target.exists():
        return target.stat().st_mode & 0o777
    mask = os.umask(0)
    os.umask(mask)
    return 0o666 & ~mask
