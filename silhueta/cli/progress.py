"""What a person hears while the command line works: progress, and things beside the result."""

from __future__ import annotations

import sys
import threading
import time

import click

from silhueta.core.whole_file import readable
from silhueta.core.wording import stage_words

_EVERY = 10.0  # s between lines into a pipe


class Progress:
    """One line on a terminal's stderr, from the first second on; into a pipe, one every 10 s.

    Also while one long call says nothing: then what was heard last is said again.
    """

    def __init__(self) -> None:
        self._began = time.monotonic()
        self._shown = ""
        self._last = ("", 0)
        self._live = sys.stderr.isatty()
        self._end = threading.Event()
        if not self._live:
            threading.Thread(target=self._repeat, name="progress", daemon=True).start()
        command = click.get_current_context(silent=True)
        if command is not None:
            command.call_on_close(self.end)

    def __call__(self, stage: str, fraction: float) -> None:
        """Show the share of a stage that is done."""
        self._last = (stage, int(100 * fraction))
        text = self._text()
        if not self._live or time.monotonic() - self._began < 1.0 or text == self._shown:
            return
        self._shown = text
        sys.stderr.write(f"\r\x1b[K{text}")
        sys.stderr.flush()

    def end(self) -> None:
        """Say no more."""
        self._end.set()

    def _text(self) -> str:
        stage, percent = self._last
        return f"{stage_words(stage)} {percent} %" if stage else ""

    def _repeat(self) -> None:
        while not self._end.wait(_EVERY):
            if text := self._text():
                say(text)


def say(text: str) -> None:
    """Tell a person something, beside what was asked for."""
    line = readable(" ".join(text.split()))
    start = "\r\x1b[K" if sys.stderr.isatty() else ""
    sys.stderr.write(f"{start}silhueta: {line}\n")
