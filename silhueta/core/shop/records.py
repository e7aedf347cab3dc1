"""Open files of records, [[tool]] after [[tool]]: each is read by itself, so none harms another.

A record that is wrong is told with its line and left out, or keeps what is right of it; all others
count.
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import fields
from importlib.resources import files
from itertools import pairwise
from pathlib import Path as File
from typing import Any, NamedTuple, TypeVar

from silhueta.core.errors import FileError, SilhuetaError

T = TypeVar("T")
MOST_BYTES = 500_000  # of such a file: a thousand tools have 200,000
_MOST_RECORDS = 2000  # of one file: no shop has more
_TOLD = 3  # faults that are told where nothing of a file can be used: the last ones are why
_MOST_WORDS = 100  # in one list of words: a machine's own lines are a dozen
_HEAD = re.compile(r"^\s*\[\[\s*([A-Za-z_]+)\s*\]\]\s*(#.*)?$")


class Read(NamedTuple):
    """What a file of records came to: the records, and in words what is wrong in it."""

    records: list[Any]
    wrong: tuple[str, ...]


def own_folder() -> File:
    """Return where a person's own records belong on this system."""
    from platformdirs import user_config_path

    return user_config_path("silhueta", appauthor=False)


def read_file(source: File) -> bytes:
    """Return the bytes of a file of records.

    Raises
    ------
    FileError
        If it cannot be read or is larger than any such file.

    """
    try:
        with source.open("rb") as stream:
            data = stream.read(MOST_BYTES + 1)
    except (OSError, ValueError) as error:
        why = getattr(error, "strerror", None) or "no such name"
        raise FileError(f"{source.name} cannot be read ({why}); check the name") from error
    if len(data) > MOST_BYTES:
        raise FileError(f"{source.name} is larger than any file of records; give another one")
    return data


def own_records(
    source: File, table: str, make: Callable[..., T], kinds: Mapping[str, type]
) -> Read:
    """Return the records of a person's own file; none where there is no such file.

    It is read again whenever it has changed.
    """
    try:
        changed = source.stat().st_mtime_ns
    except OSError:
        return Read([], ())
    known = _own.get(source)
    if known is not None and known[0] == changed:
        return known[1]
    try:
        found = read_records(read_file(source), source.name, table, make, kinds)
    except FileError as error:
        found = Read([], (str(error),))
    _own[source] = (changed, found)
    return found


_own: dict[File, tuple[int, Read]] = {}  # when each file was changed, and what was read then


def load_records(
    source: File, table: str, make: Callable[..., T], kinds: Mapping[str, type]
) -> Read:
    """Return the records of a file that a person named.

    Raises
    ------
    FileError
        If it cannot be read, or holds none that can be used.

    """
    found = read_records(read_file(source), source.name, table, make, kinds)
    if not found.records:
        why = f": {'; '.join(found.wrong[-_TOLD:])}" if found.wrong else ""
        raise FileError(f"{source.name} holds no [[{table}]] that can be used{why}")
    return found


def shipped_records(
    name: str, table: str, make: Callable[..., T], kinds: Mapping[str, type]
) -> tuple[T, ...]:
    """Return the records of a file that comes with the program."""
    found = read_records((files(__package__) / name).read_bytes(), name, table, make, kinds)
    assert not found.wrong, found.wrong
    return tuple(found.records)


def read_records(
    data: bytes, name: str, table: str, make: Callable[..., T], kinds: Mapping[str, type]
) -> Read:
    """Return the records of a TOML text.

    Parameters
    ----------
    data : bytes
    name : str
        Of the file, for what is wrong.
    table : str
        What stands in double brackets before each record.
    make : callable
        Makes a record of its values; what it raises of ours is told.
    kinds : mapping of str to type
        The values that a record can have: float, int, str, bool, tuple (two numbers) or list (of
        words).

    """
    wrong: list[str] = []
    try:
        lines = data.decode("utf-8").splitlines()
    except UnicodeDecodeError:
        return Read([], (f"{name} is no text; nothing of it is used",))
    heads = [k for k, line in enumerate(lines) if _HEAD.match(line)]
    head = lines[: heads[0]] if heads else lines
    loose = next(
        (k for k, line in enumerate(head) if line.strip() and line.strip()[0] != "#"), None
    )
    if loose is not None:
        wrong.append(f"{name}, line {loose + 1}: nothing stands before the first [[{table}]]")
    found: list[Any] = []
    for begin, end in pairwise([*heads, len(lines)]):
        if len(found) >= _MOST_RECORDS:
            wrong.append(f"{name}, line {begin + 1}: only the first {_MOST_RECORDS:,} are used")
            break
        match = _HEAD.match(lines[begin])
        assert match is not None
        if match[1] != table:
            wrong.append(f"{name}, line {begin + 1}: [[{match[1]}]] is not known, [[{table}]] is")
            continue
        values = _values(lines[begin + 1 : end], begin + 1, name, kinds, wrong)
        if values is None:
            continue
        try:
            found.append(make(**values))
        except TypeError:
            wrong.append(f"{name}, line {begin + 1}: something that a {table} needs is not told")
        except SilhuetaError as error:
            wrong.append(f"{name}, line {begin + 1}: {error}")
    return Read(found, tuple(wrong))


def _values(
    lines: list[str], before: int, name: str, kinds: Mapping[str, type], wrong: list[str]
) -> dict[str, Any] | None:
    """Return the values of one record that are sound; None where it cannot be read at all."""
    try:
        told = tomllib.loads("\n".join(lines))
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        line = re.search(r"at line (\d+)", str(error))
        at = before + int(line[1]) if line else before
        wrong.append(f"{name}, line {at}: this cannot be read; what it belongs to is left out")
        return None
    good: dict[str, Any] = {}
    for key, value in told.items():
        fault = _fault(key, value, kinds)
        if fault:
            own = (k for k, line in enumerate(lines) if line.split("=")[0].strip() == key)
            wrong.append(f"{name}, line {before + 1 + next(own, 0)}: {key[:40]} {fault}")
        else:
            good[key] = _made(value, kinds[key])
    return good


def _made(value: Any, kind: type) -> object:
    if kind is tuple:
        return tuple(map(float, value))
    return tuple(value) if kind is list else kind(value)


def _fault(key: str, value: object, kinds: Mapping[str, type]) -> str:
    """Return what is wrong with one value, or ""."""
    kind = kinds.get(key)
    if kind is None:
        return "is not known"
    if kind is str:
        return "" if isinstance(value, str) and len(value) <= 500 else "must be words in quotes"
    if kind is bool:
        return "" if isinstance(value, bool) else "must be true or false"
    if kind is list:
        words = isinstance(value, list) and len(value) <= _MOST_WORDS
        sound = words and all(isinstance(one, str) for one in value)  # type: ignore[attr-defined]
        return "" if sound else "must be words in quotes, in brackets"
    if kind is tuple:
        pair = isinstance(value, list) and len(value) == 2 and all(map(_number, value))
        return "" if pair else "must be two numbers in brackets"
    if kind is int:
        return "" if isinstance(value, int) and _number(value) else "must be a whole number"
    return "" if _number(value) else "must be a number from 0"


def _number(value: object) -> bool:
    plain = isinstance(value, int | float) and not isinstance(value, bool)
    return plain and 0 <= value < 1e9  # type: ignore[operator]


def records_text(table: str, records: Sequence[Any], always: Sequence[str]) -> str:
    """Return records as the text of such a file; what is as usual is left out, but for `always`."""
    import tomlkit

    document = tomlkit.document()
    document.add(tomlkit.comment("docs/formats.md says what each value means."))
    array = tomlkit.aot()
    for record in records:
        lines = tomlkit.table()
        for field in fields(record):
            value = getattr(record, field.name)
            if value != field.default or field.name in always:
                lines.add(field.name, list(value) if isinstance(value, tuple) else value)
        array.append(lines)
    document.add(table, array)
    return tomlkit.dumps(document)
