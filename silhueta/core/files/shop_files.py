"""A person's own records, kept for the jobs to come."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path as File

from silhueta.core.errors import FileError
from silhueta.core.files.atomic import write_whole
from silhueta.core.plan_settings import Tool
from silhueta.core.shop.tools import own_tools, tools_text


def save_tools(tools: Sequence[Tool]) -> File:
    """Keep tools as a person's own, for the jobs to come, and return the file.

    Raises
    ------
    FileError
        If it cannot be written.

    """
    target = own_tools()
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise FileError(f"{target.parent} cannot be made ({error.strerror})") from error
    write_whole(target, tools_text(tools).encode())
    return target
