"""Where a program's numbers begin: coordinate systems (3.5.13, 3.5.5) and offsets (3.5.18).

Where a system's zero lies is set at the machine, by hand: it is known here only where the program
says so itself (G10 L2). A program that goes on in another system than it began with is therefore
not understood, unless it says where both are.
"""

from __future__ import annotations

from silhueta.core.rs274.deeds import NotUnderstoodError, State

# G54 to G59.3, as numbers of their systems
SYSTEMS: dict[float, int] = {
    54: 1, 55: 2, 56: 3, 57: 4, 58: 5, 59: 6, 59.1: 7, 59.2: 8, 59.3: 9,
}  # fmt: skip
OFFSETS: frozenset[float] = frozenset({10, 92, 92.1, 92.2, 92.3})
_ZERO = (0.0, 0.0, 0.0)  # mm: no offset, and where a system lies that nobody put elsewhere


def system_chosen(state: State, number: int, line: int) -> None:
    """Count from another system's zero from now on.

    Raises
    ------
    NotUnderstoodError
        If nothing says how that lies to the one before.

    """
    if number == state.system:
        return
    if state.moved and not (number in state.systems and state.system in state.systems):
        raise NotUnderstoodError(
            "it goes on from another zero point, and only the machine knows where that is", line
        )
    state.system = number


def offset(state: State, codes: set[float], values: dict[str, float], line: int) -> None:
    """Put into force what G10 or G92 says.

    Raises
    ------
    NotUnderstoodError
        If it lacks what it needs.

    """
    if 10 in codes:
        _set_system(state, values, line)
    elif 92 in codes:
        if not any(letter in values for letter in "XYZ"):
            raise NotUnderstoodError("G92 says that a place has other numbers, and has none", line)
        base = state.systems.get(state.system, _ZERO)
        scale = state.mm(line)
        found = [
            here - zero - values[letter] * scale if letter in values else old
            for letter, here, zero, old in zip("XYZ", state.at, base, state.offset, strict=True)
        ]
        state.offset = state.kept_offset = (found[0], found[1], found[2])
    elif 92.3 in codes:
        state.offset = state.kept_offset
    else:  # G92.2 keeps what it puts aside, G92.1 forgets it
        state.kept_offset = _ZERO if 92.1 in codes else state.offset
        state.offset = _ZERO


def _set_system(state: State, values: dict[str, float], line: int) -> None:
    """Take note of where a system's zero is (G10 L2 P1 to P9)."""
    number = values.get("P", 0.0)
    if values.get("L") != 2 or number not in range(1, 10):
        raise NotUnderstoodError("G10 is known with L2 and P1 to P9 alone", line)
    scale = state.mm(line)
    old = state.systems.get(int(number), _ZERO)
    new = [
        values[letter] * scale if letter in values else before
        for letter, before in zip("XYZ", old, strict=True)
    ]
    if int(number) == state.system and state.moved and int(number) not in state.systems:
        raise NotUnderstoodError(
            "it moves its zero point, and only the machine knows from where", line
        )
    state.systems[int(number)] = (new[0], new[1], new[2])
