"""Calls of the command line, walked over all pairs of options: what they write or refuse."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

_VARIES = ("seconds", "peak_memory_mb")


def result(
    call: Callable[..., tuple[int, str, str]],
    command: str,
    source: Path,
    given: Sequence[object],
) -> tuple[int, Any]:
    """Return 0 and what a call writes, or another code and the sentence that refuses it."""
    folder = source.parent
    for old in folder.glob("made*"):
        old.unlink()
    report = folder / "made.json"
    target = folder / "made.svg"
    code, _, err = call(command, source, *given, "-o", target, "--report", report)
    if code:
        return code, err
    told = {k: v for k, v in json.loads(report.read_text()).items() if k not in _VARIES}
    report.unlink()
    return 0, [*[(f.name, f.read_text()) for f in sorted(folder.glob("made*"))], told, err]


class Walk:
    """Options of one command, each with a value that would show."""

    def __init__(
        self,
        call: Callable[..., tuple[int, str, str]],
        command: str,
        source: Path,
        options: Mapping[str, Sequence[object]],
        partners: Mapping[str, Sequence[str]],
        known: dict[tuple[str, frozenset[str]], tuple[int, Any]],
    ) -> None:
        """Take what is `known` already; `partners` is what an option needs before it can show."""
        self._call, self._command, self._source = call, command, source
        self._options, self._partners = options, partners
        self._known = known

    def made(self, names: Sequence[str]) -> tuple[int, Any]:
        """Return what a call with these options makes."""
        key = self._command, frozenset(names)
        if key not in self._known:
            given = [part for name in names for part in (name, *self._options[name])]
            self._known[key] = result(self._call, self._command, self._source, given)
        return self._known[key]

    def idle(self, *names: str) -> list[str]:
        """Return those of `names` that change nothing beside each other, and are not refused."""
        beside = [p for name in names for p in self._partners.get(name, ())]
        both = list(dict.fromkeys([*beside, *names]))
        code, made = self.made(both)
        if code:
            assert code == 1 or any(name in made for name in both), (both, made)
            return []
        needed = {p for name in both for p in self._partners.get(name, ()) if p != name}
        found = []
        for name in names:
            if name not in needed and (0, made) == self.made([n for n in both if n != name]):
                found.append(name)
        return found
