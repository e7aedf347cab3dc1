"""What a program in RS-274 has a machine do, read from its text alone.

Written from T. R. Kramer, F. M. Proctor and E. Messina, "The NIST RS274NGC Interpreter, Version 3",
NISTIR 6556, 2000; section numbers below are of that report, from memory. It shares nothing with
what writes programs here. What it does not know is never passed over: it says so, with the line.

Words used here
    block     one line of a program (3.3)
    word      a letter and a number (3.3.2)
    modal     in force until another of its group comes (3.4)
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Mapping
from typing import Literal

from silhueta.core.rs274.cycles import CYCLES, cycle
from silhueta.core.rs274.deeds import INCH, Deed, NotUnderstoodError, Place, State
from silhueta.core.rs274.offsets import OFFSETS, SYSTEMS, offset, system_chosen

MOST_LINES = 2_000_000  # of a program: more is no program of a sheet
_MOST_LETTERS = 256  # of a block (3.3)
_OFF_MM = 0.002  # between the radii at both ends of an arc (3.5.3.2: 0.002 mm or 0.0002 in)
_OFF_IN = 0.0002 * INCH  # mm: the same where the program is in inches
_LETTERS = frozenset("FHIJKLPQRSTXYZ")  # besides G, M and N (3.3.2, Table 3)
_NUMBER = re.compile(r"^N\d+")
_PLAIN = frozenset("GXYZIJF")
_MOTIONS = frozenset((0.0, 1.0, 2.0, 3.0))
_ENDS_SOMEWHERE = frozenset("XYZ")
_COMMENT = re.compile(r"\([^()]*\)")
_WORD = re.compile(r"([A-Z])([+-]?(?:\d+\.?\d*|\.\d+))")
# G words by modal group (3.4, Table 4); a block has at most one of each
_GROUPS: dict[float, int] = {
    **dict.fromkeys((0, 1, 2, 3, 80, *CYCLES), 1),
    **dict.fromkeys((17, 18, 19), 2),
    **dict.fromkeys((90, 91), 3),
    **dict.fromkeys((94,), 5),
    **dict.fromkeys((20, 21), 6),
    **dict.fromkeys((40,), 7),
    **dict.fromkeys((43, 49), 8),
    **dict.fromkeys((98, 99), 10),
    **dict.fromkeys(SYSTEMS, 12),
    **dict.fromkeys((61, 61.1, 64), 13),
    **dict.fromkeys((4, *OFFSETS), 0),
}
# why some words of others' programs are not run, in words
_WHY: dict[float, str] = {
    28: "it goes home, and where that is only the machine knows",
    30: "it goes home, and where that is only the machine knows",
    41: "the machine would allow for the tool; write the file with the tool allowed for",
    42: "the machine would allow for the tool; write the file with the tool allowed for",
    53: "it goes to a place of the machine, which the program does not tell",
    93: "feeds by time are not run",
}
_STOPS = (0, 1, 60)  # M words that wait for a person (3.6.1)
_ENDS = (2, 30)  # M words that end a program; what follows is not read (3.6.1)
_PASSED = (7, 8, 9, 48, 49)  # coolant, overrides: nothing is cut by them


def interpret(
    text: str,
    units: Literal["mm", "in"] | None = None,
    words: Mapping[str, Literal["on", "off"]] | None = None,
) -> Iterator[Deed]:
    """Yield what a program has a machine do, in order.

    Parameters
    ----------
    text : str
    units : {"mm", "in"} or None
        What its numbers are where it does not say (G20, G21).
    words : mapping of str to {"on", "off"} or None
        Lines of a machine's own that switch its tool.

    Raises
    ------
    NotUnderstoodError
        At the line that is not known or cannot be; nothing after it is read.

    """
    state = State(scale={"mm": 1.0, "in": INCH, None: 0.0}[units])
    own = {_bare(line): kind for line, kind in (words or {}).items()}
    for number, line in enumerate(text.splitlines(), 1):
        if number > MOST_LINES:
            raise NotUnderstoodError(f"a program of over {MOST_LINES:,} lines is not read", number)
        if own:
            kind = own.get(_bare(line))
            if kind is not None:
                yield Deed(kind, number)
                continue
        found = _words(line, number)
        if found:
            yield from _block(state, found, number)
        if state.ended:
            return


def _bare(line: str) -> str:
    """Return a line without blanks and its number, in capitals."""
    return _NUMBER.sub("", "".join(line.split()).upper())


def _words(line: str, number: int) -> list[tuple[str, float]]:
    """Return the words of a block: without comments, blanks and its number (3.3)."""
    if len(line) > _MOST_LETTERS:
        raise NotUnderstoodError(f"a line of over {_MOST_LETTERS} letters is not read", number)
    bare = _COMMENT.sub("", line) if "(" in line else line
    bare = bare.partition(";")[0]
    if "(" in bare or ")" in bare:
        raise NotUnderstoodError("a comment is not closed", number)
    bare = "".join(bare.split()).upper()
    if not bare or bare[0] == "%":
        return []
    if bare[0] == "/":  # blocks that may be left out are run (3.3: the switch is off)
        bare = bare[1:]
    words = _WORD.findall(bare)
    if sum(len(letter) + len(value) for letter, value in words) != len(bare):
        at = 0
        while (match := _WORD.match(bare, at)) is not None:
            at = match.end()
        raise NotUnderstoodError(f"“{bare[at : at + 20]}” is not known", number)
    found = [(letter, float(value)) for letter, value in words]
    return found[1:] if found and found[0][0] == "N" else found


def _block(state: State, words: list[tuple[str, float]], line: int) -> Iterator[Deed]:
    """Yield the deeds of one block, in the order of 3.8, Table 8."""
    values = dict(words)
    if len(values) == len(words) and _PLAIN.issuperset(values) and values.get("G") in _MOTIONS:
        # nearly all lines are moves: one G word, and where to
        state.motion = int(values.pop("G"))
        if "F" in values:
            _feed(state, values["F"], line)
        if not _ENDS_SOMEWHERE.isdisjoint(values):
            yield _move(state, values, line)
            return
    codes, acts, values = _sorted(words, line)
    if not _LETTERS.issuperset(values):
        letter = next(letter for letter in values if letter not in _LETTERS)
        raise NotUnderstoodError(f"the word {letter} is not known here", line)
    _modal(state, codes, line)
    if "F" in values:
        _feed(state, values["F"], line)
    if "S" in values:
        yield Deed("speed", line, value=values["S"])
    if "T" in values:
        state.tool = _whole(values["T"], "tool", line)
    if 6 in acts:
        yield Deed("tool", line, value=state.tool)
    for act, kind in ((3, "on"), (4, "on"), (5, "off")):
        if act in acts:
            yield Deed(kind, line)  # type: ignore[arg-type]
    if 4 in codes:
        if "P" not in values:
            raise NotUnderstoodError("G4 waits, and P does not say how long", line)
        yield Deed("wait", line, value=values["P"])
    elif codes & OFFSETS:
        offset(state, codes, values, line)
    elif any(letter in values for letter in "XYZ"):
        if state.motion in CYCLES:
            yield from cycle(state, values, line)
        else:
            yield _move(state, values, line)
    elif any(letter in values for letter in "IJKR"):
        raise NotUnderstoodError("an arc has no end", line)
    if any(act in acts for act in _STOPS):
        yield Deed("stop", line)
    if any(act in acts for act in _ENDS):
        state.ended = True
        yield Deed("end", line)


def _feed(state: State, value: float, line: int) -> None:
    if not value > 0:
        raise NotUnderstoodError("a feed of 0 moves nothing", line)
    state.feed = value * state.mm(line)


def _sorted(
    words: list[tuple[str, float]], line: int
) -> tuple[set[float], set[int], dict[str, float]]:
    """Return the G words, the M words and all others; no two of one modal group (3.4)."""
    codes: set[float] = set()
    acts: set[int] = set()
    values: dict[str, float] = {}
    groups: set[int] = set()
    for letter, value in words:
        if letter == "G":
            group = _GROUPS.get(value)
            if group is None:
                why = f": {_WHY[value]}" if value in _WHY else " is not known"
                raise NotUnderstoodError(f"G{value:g}{why}", line)
            if group in groups:
                raise NotUnderstoodError("two G words of one group stand in one line", line)
            groups.add(group)
            codes.add(value)
        elif letter == "M":
            act = _whole(value, "M", line)
            if act not in (3, 4, 5, 6, *_STOPS, *_ENDS, *_PASSED):
                raise NotUnderstoodError(f"M{act} is not known", line)
            acts.add(act)
        elif letter in values:
            raise NotUnderstoodError(f"{letter} stands twice in one line", line)
        else:
            values[letter] = value
    return codes, acts, values


def _modal(state: State, codes: set[float], line: int) -> None:
    """Put into force what a block says."""
    for code in codes:
        if code in (0, 1, 2, 3, *CYCLES):
            if code != state.motion:
                state.sticky.clear()
            state.motion = int(code)
        elif code == 80:
            state.motion = None
        elif code in (17, 18, 19):
            state.flat = code == 17
        elif code in (20, 21):
            state.scale = INCH if code == 20 else 1.0
        elif code in (90, 91):
            state.absolute = code == 90
        elif code in (98, 99):
            state.to_old_z = code == 98
        elif code in SYSTEMS:
            system_chosen(state, SYSTEMS[code], line)


def _whole(value: float, what: str, line: int) -> int:
    if value != int(value) or value < 0:
        raise NotUnderstoodError(f"{what} {value:g} is no whole number", line)
    return int(value)


def _move(state: State, values: dict[str, float], line: int) -> Deed:
    """Return a move, and be at its end."""
    if state.motion is None:
        raise NotUnderstoodError("a place stands here, and no G word says how to go there", line)
    start, end = state.at, state.place(values, line)
    state.at, state.moved = end, True
    if state.motion == 0:
        return Deed("rapid", line, start, end)
    if not state.feed:
        raise NotUnderstoodError("it would cut, and no feed (F) is said", line)
    if state.motion == 1:
        return Deed("feed", line, start, end, feed=state.feed)
    centre, turn = _arc(state, values, start, end, line)
    return Deed("feed", line, start, end, centre, turn, state.feed)


def _arc(
    state: State, values: dict[str, float], start: Place, end: Place, line: int
) -> tuple[tuple[float, float], float]:
    """Return the centre of an arc, and by how much it turns (3.5.3)."""
    if not state.flat or "K" in values:
        raise NotUnderstoodError("arcs are known in the plane X Y (G17) alone", line)
    sense = 1.0 if state.motion == 3 else -1.0
    scale = state.mm(line)
    if "R" in values:
        if "I" in values or "J" in values:
            raise NotUnderstoodError("an arc has a radius and a centre; one of them is meant", line)
        centre = _by_radius(start, end, values["R"] * scale, sense, line)
    elif "I" in values or "J" in values:
        centre = (
            start[0] + values.get("I", 0.0) * scale,
            start[1] + values.get("J", 0.0) * scale,
        )
    else:
        raise NotUnderstoodError("an arc has neither centre (I, J) nor radius (R)", line)
    one = math.dist(start[:2], centre)
    two = math.dist(end[:2], centre)
    allowed = _OFF_IN if scale == INCH else _OFF_MM
    if abs(one - two) > allowed + 1e-9:
        raise NotUnderstoodError(
            f"the arc's radii are {one:.4f} mm at its start and {two:.4f} mm at its end", line
        )
    if one == 0:
        raise NotUnderstoodError("the arc has no radius", line)
    first = math.atan2(start[1] - centre[1], start[0] - centre[0])
    last = math.atan2(end[1] - centre[1], end[0] - centre[0])
    turn = sense * ((sense * (last - first)) % (2 * math.pi))
    if abs(turn) < 1e-12 or start[:2] == end[:2]:
        turn = sense * 2 * math.pi  # from a place round to itself (3.5.3.2)
    return centre, turn


def _by_radius(
    start: Place, end: Place, radius: float, sense: float, line: int
) -> tuple[float, float]:
    """Return the centre of an arc given by its radius: above zero it turns by half at most."""
    x, y = end[0] - start[0], end[1] - start[1]
    chord = math.hypot(x, y)
    if chord == 0:
        raise NotUnderstoodError("an arc by its radius ends where it starts (3.5.3.1)", line)
    if chord / 2 > abs(radius) + _OFF_MM:
        raise NotUnderstoodError(
            f"a radius of {abs(radius):.4f} mm does not reach over {chord:.4f} mm", line
        )
    up = math.sqrt(max(radius**2 - chord**2 / 4, 0.0))
    side = sense * (1.0 if radius > 0 else -1.0) * up / chord
    return start[0] + x / 2 - side * y, start[1] + y / 2 + side * x
