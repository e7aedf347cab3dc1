"""Where on this machine things are kept: journals, the shelf, indexes, the log."""

from __future__ import annotations

from pathlib import Path as File
from typing import NamedTuple


class Places(NamedTuple):
    """The folders of a person, none of which need be there yet.

    journals, locks, log : Path
        Of this machine's state.
    shelf : Path
        Of jobs that are kept.
    indexes : Path
        Of what can be worked out again.
    """

    journals: File
    locks: File
    log: File
    shelf: File
    indexes: File


def usual() -> Places:
    """Return where they belong by the freedesktop Base Directory Specification."""
    from platformdirs import user_cache_path, user_data_path, user_state_path

    state = user_state_path("silhueta", appauthor=False)
    data = user_data_path("silhueta", appauthor=False)
    cache = user_cache_path("silhueta", appauthor=False)
    return Places(state / "journals", state / "open", state / "log", data / "shelf", cache)


def under(folder: File) -> Places:
    """Return all of them under one folder, as for a trial."""
    return Places(*(folder / name for name in Places._fields))
