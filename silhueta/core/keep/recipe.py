"""A recipe: the same steps for many pictures, as a TOML file that people may write by hand.

A table a command, with that command's options by their names; `[output]` says which files are
written. An option is written without its dashes, with underscores or dashes within; true stands
for an option without a value, a list for one that is repeated.
"""

from __future__ import annotations

import hashlib
import json
import tomllib
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path as File
from typing import Any

from silhueta.core.errors import FileError, reason_of

STEPS = ("trace", "tidy", "true", "build", "inspect", "cut")  # in the order they are done
_OUTPUT = {"formats"}
_MOST = 1_000_000  # bytes: more is no recipe


@dataclass(frozen=True)
class Recipe:
    """What is done with each picture.

    Parameters
    ----------
    steps : mapping of str to mapping
        Options of each command that is called, by their names with dashes.
    formats : tuple of str
        Endings of the files that are written, without their dot.

    """

    steps: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    formats: tuple[str, ...] = ("dxf",)

    @property
    def mark(self) -> str:
        """Some letters that are others for another recipe."""
        told = json.dumps([dict(self.steps), self.formats], sort_keys=True, default=str)
        return hashlib.sha256(told.encode()).hexdigest()[:16]

    def words(self, step: str) -> list[str]:
        """Return the options of a command as they are typed."""
        found: list[str] = []
        for name, value in self.steps.get(step, {}).items():
            for one in value if isinstance(value, list) else [value]:
                if one is True:
                    found.append(f"--{name}")
                elif one is False:
                    found.append(f"--no-{name}")
                else:
                    found += [f"--{name}", str(one)]
        return found

    def text(self) -> str:
        """Return the recipe as TOML."""
        lines = []
        for step in STEPS:
            if step in self.steps:
                lines.append(f"[{step}]")
                for name, value in self.steps[step].items():
                    lines.append(f"{name.replace('-', '_')} = {_value(value)}")
                lines.append("")
        return "\n".join([*lines, "[output]", f"formats = {_value(list(self.formats))}", ""])


def read_recipe(file: File) -> Recipe:
    """Return the recipe in a file.

    Raises
    ------
    FileError
        If it cannot be read, or says something that is no recipe, with where.

    """
    try:
        with file.open("rb") as stream:
            data = stream.read(_MOST + 1)
        if len(data) > _MOST:
            raise FileError(f"{file.name} is larger than any recipe")
        content = tomllib.loads(data.decode())
    except OSError as error:
        raise FileError(f"cannot read {file}: {reason_of(error)}") from error
    except (tomllib.TOMLDecodeError, UnicodeDecodeError, RecursionError) as error:
        raise FileError(f"{file.name} is no TOML: {error}") from error
    return recipe_of(content, file.name)


def recipe_of(content: Mapping[str, Any], name: str) -> Recipe:
    """Return the recipe that a TOML's content is; see `read_recipe`."""
    steps: dict[str, dict[str, Any]] = {}
    formats: tuple[str, ...] = ("dxf",)
    for table, options in content.items():
        if table not in (*STEPS, "output"):
            raise FileError(
                f"{name}: [{table}] is none of the steps; they are {', '.join(STEPS)} and output"
            )
        if not isinstance(options, dict):
            raise FileError(f"{name}: {table} is a table: [{table}], its options below")
        if table == "output":
            formats = _formats(options, name)
            continue
        for option, value in options.items():
            for one in value if isinstance(value, list) else [value]:
                if not isinstance(one, str | int | float):
                    raise FileError(f"{name}: [{table}] {option} is neither text, number nor list")
        steps[table] = {option.replace("_", "-"): value for option, value in options.items()}
    return Recipe(steps, formats)


def _formats(options: Mapping[str, Any], name: str) -> tuple[str, ...]:
    wrong = set(options) - _OUTPUT
    if wrong:
        raise FileError(f"{name}: [output] knows formats, not {', '.join(sorted(wrong))}")
    given = options.get("formats", ["dxf"])
    if not isinstance(given, list) or not given or not all(isinstance(v, str) for v in given):
        raise FileError(f'{name}: [output] formats is a list of endings: ["dxf", "svg"]')
    return tuple(dict.fromkeys(one.lower().lstrip(".") for one in given))


def _value(value: Any) -> str:
    """Return a value as TOML has it; JSON's texts, numbers and lists are TOML's too."""
    return json.dumps(value, ensure_ascii=False)
