"""What the program remembers of a person, whatever the job: one small file, and nothing else."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path as File
from typing import Any

import msgspec

from silhueta.core.migrations import Migration, migrated
from silhueta.core.units import Unit

FORMAT = 1
_MIGRATIONS: Mapping[int, Migration] = {}
_MOST = 1_000_000  # bytes: more is no settings file
_RECENT = 4


class Settings(msgspec.Struct, frozen=True):
    """What is remembered.

    Parameters
    ----------
    units : {"mm", "in"}
        In which lengths are shown.
    window : (width, height) or None
    recent : tuple of str
        Job files, the last one first.

    """

    format: int = FORMAT
    units: Unit = "mm"
    window: tuple[int, int] | None = None
    recent: tuple[str, ...] = ()


class Preferences:
    """The settings, and the file that keeps them; without one they last as long as the window."""

    def __init__(self, file: File | None = None) -> None:
        self._file = file
        self.now = Settings() if file is None else _read(file)

    def change(self, **changes: Any) -> None:
        """Set and keep. A place that cannot be written to forgets; no work hangs on it."""
        after = msgspec.structs.replace(self.now, **changes)
        if after == self.now:
            return
        self.now = after
        if self._file is not None:
            from silhueta.core.errors import FileError
            from silhueta.core.files.atomic import write_whole

            try:
                self._file.parent.mkdir(parents=True, exist_ok=True)
                write_whole(self._file, msgspec.json.format(msgspec.json.encode(after), indent=1))
            except (OSError, FileError):
                self._file = None

    def add_recent(self, file: File) -> None:
        """Put a job file before all others."""
        name = str(file.absolute())
        others = [one for one in self.now.recent if one != name]
        self.change(recent=(name, *others)[:_RECENT])


def usual_place() -> File:
    """Return where the person's settings belong on this system."""
    from platformdirs import user_config_path

    return user_config_path("silhueta", appauthor=False) / "settings.json"


def _read(file: File) -> Settings:
    """Return the settings in a file; usual ones where there are none, or none that can be read."""
    try:
        with file.open("rb") as stream:
            text = stream.read(_MOST)
        content = msgspec.json.decode(text)
        version = int(content["format"])
        if version > FORMAT:
            return Settings()
        return msgspec.convert(migrated(content, version, _MIGRATIONS), type=Settings)
    except (OSError, msgspec.MsgspecError, KeyError, TypeError, ValueError, RecursionError):
        return Settings()
