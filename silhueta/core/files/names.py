"""Names of files: such as every disk takes, and such as are still free."""

from __future__ import annotations

import re
from pathlib import Path as File

_LONGEST = 120  # bytes: most disks take 255, and endings and numbers come after
# what memory sticks (FAT, exFAT) do not take in a name, by Microsoft's "Naming files, paths, and
# namespaces"
_REFUSED = re.compile(r'[\x00-\x1f\x7f<>:"/\\|?*]')
_DEVICES = re.compile(r"(con|prn|aux|nul|com\d|lpt\d)", re.IGNORECASE)


def file_name(name: str) -> str:
    """Return a name as near to the given one as every disk takes, without an ending.

    >>> file_name('Heron 3/4": left ')
    'Heron 3_4__ left'
    """
    safe = _REFUSED.sub("_", name).strip(" .")
    safe = safe.encode(errors="ignore")[:_LONGEST].decode(errors="ignore").strip(" .")
    return f"{safe}_" if _DEVICES.fullmatch(safe) else safe or "Untitled"


def free_name(target: File) -> File:
    """Return the target, or where it is there already the same with the first free number.

    >>> free_name(File("/nowhere/heron.silhueta")).name
    'heron.silhueta'
    """
    number, free = 1, target
    while free.exists():
        number += 1
        free = target.with_name(f"{target.stem}-{number}{target.suffix}")
    return free
