"""A disk that loses what was not synced: what a power cut leaves of a folder.

Python's own calls are watched (`os.fsync`, of files and of folders). What a file held when it was
last synced is sure, and so are the names that a folder had when it was; everything since may be on
disk or not, each by lot, as the standard allows (POSIX.1-2017, fsync: nothing is said of a file's
name). Files are told apart by their inodes.
"""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import numpy as np


class Disk:
    """Watches a folder, and gives what is left of it after a cut."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self._content: dict[int, bytes] = {}
        self._names: dict[Path, dict[str, int]] = {}
        self.syncs = 0

    @contextmanager
    def watched(self) -> Iterator[None]:
        """Watch what is synced meanwhile."""
        sync = os.fsync

        def fsync(handle: int) -> None:
            sync(handle)
            self.syncs += 1
            place = Path(f"/proc/self/fd/{handle}").readlink()
            if place.is_dir():
                self._names[place] = self._now(place)
            else:
                self._content[os.fstat(handle).st_ino] = Path(
                    f"/proc/self/fd/{handle}"
                ).read_bytes()

        os.fsync = fsync
        try:
            yield
        finally:
            os.fsync = sync

    @staticmethod
    def _now(folder: Path) -> dict[str, int]:
        return {one.name: one.stat().st_ino for one in folder.iterdir() if one.is_file()}

    def cut(self, target: Path, rng: np.random.Generator) -> None:
        """Put what a cut at this moment leaves into another folder."""
        shutil.rmtree(target, ignore_errors=True)
        target.mkdir(parents=True)
        now = self._now(self.folder)
        bytes_now = {inode: (self.folder / name).read_bytes() for name, inode in now.items()}
        sure = self._names.get(self.folder, {})
        names = {name: inode for name, inode in sure.items() if now.get(name) == inode}
        for name in set(sure) | set(now):
            if sure.get(name) != now.get(name):  # not sure which of them
                inode = (sure, now)[int(rng.integers(2))].get(name)
                if inode is not None:
                    names[name] = inode
        for name, inode in names.items():
            synced, whole = self._content.get(inode, b""), bytes_now.get(inode)
            data = synced
            if whole is not None and whole != synced and rng.random() < 0.5:
                # some of what came since is there, the rest is not, or is zeros
                size = int(rng.integers(len(synced), max(len(whole), len(synced)) + 1))
                data = whole[:size] if rng.random() < 0.7 else synced + bytes(size - len(synced))
            (target / name).write_bytes(data)
