"""Cut files read as they stand: programs and drawings, one or several that are run in turn."""

from __future__ import annotations

from pathlib import Path as File
from typing import Literal

from silhueta.core.errors import FileError
from silhueta.core.files.atomic import read_bytes
from silhueta.core.files.inspect_file import read_drawing
from silhueta.core.files.program_proof import machine_words
from silhueta.core.rehearsal.event import Event
from silhueta.core.rehearsal.steps import Step, of_drawing, of_program
from silhueta.core.rs274.deeds import NotUnderstoodError, UnitMissingError
from silhueta.core.shop.machines import Machine

Units = Literal["mm", "in"]
PROGRAMS = (".nc", ".ngc", ".gcode", ".tap", ".txt")  # usual endings; no other is refused
_DRAWINGS = (".dxf", ".svg")
_LONGEST = 400  # letters of a line that are shown: a program's have 256, the rest is no program


def is_program(file: File) -> bool:
    """Return whether a file is read as a program: all but drawings are, whatever their ending."""
    return file.suffix.lower() not in _DRAWINGS


class Reading:
    """Files as they stand, run one after the other as one.

    Attributes
    ----------
    steps : list of Step
        Their lines count on from one file to the next.
    lines : list of str
        To be shown: of a program its lines, of a drawing one for each path in its order.
    refused : Event or None
        What was not understood, and where: nothing is to be run then.
    unit_missing : str
        Where a file needs to be told its unit, in words; "" where all is known.
    drawing : bool
        Whether the last of them is a drawing.

    """

    def __init__(self) -> None:
        self.steps: list[Step] = []
        self.lines: list[str] = []
        self.refused: Event | None = None
        self.unit_missing = ""
        self.drawing = False

    def add(self, file: File, machine: Machine | None, units: Units | None) -> None:
        """Read one more file; its numbers are `units` where it does not say.

        Raises
        ------
        FileError
            If it cannot be read, holds nothing to run, or more than can be run.

        """
        self.drawing = not is_program(file)
        if self.drawing:
            self._add_drawing(file, units)
        else:
            self._add_program(file, machine, units)

    def _add_drawing(self, file: File, units: Units | None) -> None:
        drawing = read_drawing(file)
        if not drawing.says_units:
            if units is None:
                self.unit_missing = f"{file.name} does not say its unit"
                return
            drawing = drawing.taken_as(units)
        layers = drawing.layers or ("",) * len(drawing.paths)
        self.lines += [
            f"{k}  {layer or 'path'}, from {path.nodes[0, 0]:.2f} {path.nodes[0, 1]:.2f}"
            for k, (path, layer) in enumerate(zip(drawing.paths, layers, strict=True), 1)
        ]
        self.steps += of_drawing(drawing)
        if not self.steps:
            raise FileError(f"{file.name} holds nothing that goes through the sheet")

    def _add_program(self, file: File, machine: Machine | None, units: Units | None) -> None:
        text = read_bytes(file).decode("latin-1")
        before = len(self.lines)
        self.lines += [_shown(line) for line in text.splitlines()]
        words = None if machine is None else machine_words(machine)
        inverse = () if machine is None else machine.inverse
        try:
            own = of_program(text, units, words, inverse)
        except UnitMissingError as error:
            self.unit_missing = f"{file.name}, {error}"
            return
        except NotUnderstoodError as error:
            line = before + error.line
            self.refused = Event("not-understood", 0.0, (0.0, 0.0), line, error.what)
            return
        self.steps += [one._replace(line=one.line + before) for one in own]


def _shown(line: str) -> str:
    """Return what can be shown of a line; of a binary file that is little."""
    short = line[:_LONGEST]
    return short if short.isprintable() else "".join(c if c.isprintable() else "·" for c in short)
