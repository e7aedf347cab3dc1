"""Actions that lead to the pages of a worksheet."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import TYPE_CHECKING

from silhueta.app.actions import Action

if TYPE_CHECKING:
    from silhueta.app.window import Window


def page_actions(
    window: Window, key: str, pages: Sequence[tuple[str, str, str]]
) -> tuple[Action, ...]:
    """Return an action for each page of a stop.

    `pages`: its key, what Find an action says, more words that it is found by.
    """

    def show(page: str) -> None:
        from silhueta.app.stops.paged import PagedWorksheet

        window.go(key)
        sheet = window.sheets[key]
        assert isinstance(sheet, PagedWorksheet)
        sheet.show_page(page)

    return tuple(
        Action(f"{key}-{page}", text, partial(show, page), words=words)
        for page, text, words in pages
    )
