"""Where on this machine things are kept: journals, the shelf, indexes, logs."""

from __future__ import annotations

from pathlib import Path as File


def journals() -> File:
    """Return the folder of journals (freedesktop's state folder, where there is one)."""
    from platformdirs import user_state_path

    return user_state_path("silhueta", appauthor=False) / "journals"


def logs() -> File:
    """Return the folder of the log."""
    from platformdirs import user_state_path

    return user_state_path("silhueta", appauthor=False) / "log"


def shelf() -> File:
    """Return the folder of the shelf that is used where no other was named."""
    from platformdirs import user_data_path

    return user_data_path("silhueta", appauthor=False) / "shelf"


def indexes() -> File:
    """Return the folder of what can be worked out again."""
    from platformdirs import user_cache_path

    return user_cache_path("silhueta", appauthor=False)
