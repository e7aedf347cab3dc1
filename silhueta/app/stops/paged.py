"""A worksheet of several pages, one of them shown."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Protocol, cast

from PySide6.QtGui import QHideEvent, QShowEvent
from PySide6.QtWidgets import QWidget

from silhueta.app.session import Session
from silhueta.app.stops.worksheet import Worksheet
from silhueta.app.table.table import Table
from silhueta.app.table.tool import Tool
from silhueta.app.widgets import Choice, Note
from silhueta.core.job import Job

_MOST_IN_A_ROW = 4


class Page(Protocol):
    """What a page answers to besides being a widget."""

    def refresh(self, job: Job) -> None:
        """Show `job`."""

    def setVisible(self, visible: bool) -> None:
        """Show or hide the page."""


class PagedWorksheet(Worksheet):
    """A row of page names, what is wrong, the page itself.

    A stop calls :meth:`add_pages` once, says in :meth:`tool_of` what the hand does on each page,
    and names all its tools and what it draws on the table, which both go when it is left.
    """

    overlays: tuple[str, ...] = ()

    def __init__(self, session: Session, table: Table, parent: QWidget | None = None) -> None:
        super().__init__(session, parent)
        self.table = table
        self.fault = Note()
        self.present = ""
        self.tools: tuple[Tool, ...] = ()
        self._pages: Mapping[str, Page] = {}

    def add_pages(self, titles: dict[str, str], pages: Mapping[str, Page]) -> None:
        """Put the pages into the worksheet, the first of them shown, and follow the job."""
        columns = 3 if len(titles) > _MOST_IN_A_ROW else None
        self.page = Choice("Page", titles, self, columns)
        self._pages = pages
        self.body.addWidget(self.page)
        self.body.addWidget(self.fault)
        for page in pages.values():
            self.body.addWidget(cast("QWidget", page), 1)
        self.page.chosen.connect(self.show_page)
        self.next.clicked.connect(self.go_on)
        self.show_page(next(iter(pages)))
        self.connect_job()
        self.body.setStretch(self.body.count() - 1, 0)  # the pages take the room themselves

    @property
    def shown(self) -> Page:
        """The page that is shown."""
        return self._pages[self.present]

    def tell(self, text: str) -> None:
        """Say what is wrong; "" when nothing is any more."""
        self.fault.say(text, bool(text))

    def show_page(self, key: str) -> None:
        """Show one of the pages."""
        self.present = key
        self.page.set_chosen(key)
        for name, page in self._pages.items():
            page.setVisible(name == key)
        self.tell("")
        if self.isVisible():
            self._clear_table()
            self.table.set_tool(self.tool_of(key))
            self.refresh(self.session.job)

    def tool_of(self, page: str) -> Tool | None:
        """Return the tool of a page."""
        raise NotImplementedError

    def _clear_table(self) -> None:
        for name in self.overlays:
            self.table.set_overlay(name, None)

    def showEvent(self, event: QShowEvent) -> None:
        """Take the table into the hand."""
        self.table.set_tool(self.tool_of(self.present))
        super().showEvent(event)

    def hideEvent(self, event: QHideEvent) -> None:
        """Give it back, unless another has it already."""
        super().hideEvent(event)
        if self.table.tool in self.tools:
            self.table.set_tool(None)
        self._clear_table()
