"""Bringing what an older program wrote up to the present format, one numbered step at a time."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

Migration = Callable[[dict[str, Any]], None]  # changes the content in place


def migrated(
    content: dict[str, Any], version: int, steps: Mapping[int, Migration]
) -> dict[str, Any]:
    """Return `content` of format `version` in the newest one.

    `steps` by the format that each makes, in order. A format without a step only added what has
    a value of its own where it is missing.
    """
    for number, step in steps.items():
        if version < number:
            step(content)
    return content
