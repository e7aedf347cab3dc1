"""Canned cycles: drilling (G81), with a wait at the bottom (G82), in pecks (G83); 3.5.16.

Words used here
    R       the height at which a hole begins, over which the bit goes at rapid
    peck    one step of a hole, after which the bit is drawn out to R
"""

from __future__ import annotations

from collections.abc import Iterator

from silhueta.core.rs274.deeds import INCH, Deed, NotUnderstoodError, Place, State

CYCLES: frozenset[float] = frozenset({81, 82, 83})
_BACK = 0.01 * INCH  # mm above a peck's bottom, to which the bit goes back at rapid (3.5.16.4)
_STICKY = "ZRQP"  # words that stay from one hole to the next
_MOST = 10_000  # repeats of one line, or pecks of one hole: more are a slip
_SAME = 1e-9  # mm


def cycle(state: State, values: dict[str, float], line: int) -> Iterator[Deed]:
    """Yield the moves of a canned cycle, and be where it ends.

    Raises
    ------
    NotUnderstoodError
        If a word is missing, or cannot be.

    """
    words = {**state.sticky, **values}
    state.sticky = {letter: words[letter] for letter in _STICKY if letter in words}
    if not state.flat:
        raise NotUnderstoodError("canned cycles are known in the plane X Y (G17) alone", line)
    for letter in ("Z", "R", *{82: "P", 83: "Q"}.get(state.motion or 0, "")):
        if letter not in words:
            raise NotUnderstoodError(f"G{state.motion} needs {letter}", line)
    if not state.feed:
        raise NotUnderstoodError("it would drill, and no feed (F) is said", line)
    repeats = words.get("L", 1.0)
    if repeats != int(repeats) or not 0 < repeats <= _MOST:
        raise NotUnderstoodError(f"L {repeats:g} is no number of repeats", line)
    scale, old = state.mm(line), state.at[2]
    _, _, shift = state.shift
    clear = words["R"] * scale + (shift if state.absolute else old)
    bottom = words["Z"] * scale + (shift if state.absolute else clear)
    if bottom > clear:
        raise NotUnderstoodError("R lies below Z: the hole would begin under its bottom", line)
    way = {letter: values[letter] for letter in "XY" if letter in values}
    if old < clear:
        yield _to(state, "rapid", (state.at[0], state.at[1], clear), line)
    back = max(old, clear) if state.to_old_z else clear
    for _ in range(int(repeats)):
        x, y, _z = state.place(way, line)
        if (x, y) != state.at[:2]:
            yield _to(state, "rapid", (x, y, state.at[2]), line)
        yield from _down_to(state, "rapid", clear, line)
        yield from _hole(state, words, clear, bottom, line)
        yield from _down_to(state, "rapid", back, line)


def _hole(
    state: State, words: dict[str, float], clear: float, bottom: float, line: int
) -> Iterator[Deed]:
    """Yield the way down."""
    if state.motion == 83:
        step = words["Q"] * state.mm(line)
        if not step > 0 or (clear - bottom) / step > _MOST:
            raise NotUnderstoodError(f"Q {words['Q']:g} is no depth of a peck", line)
        deep = clear - step
        while deep > bottom + _SAME:
            yield from _down_to(state, "feed", deep, line)
            yield from _down_to(state, "rapid", clear, line)
            yield from _down_to(state, "rapid", min(deep + _BACK, clear), line)
            deep -= step
    yield from _down_to(state, "feed", bottom, line)
    if state.motion == 82:
        yield Deed("wait", line, value=words["P"])


def _down_to(state: State, kind: str, z: float, line: int) -> Iterator[Deed]:
    if abs(state.at[2] - z) > _SAME:
        yield _to(state, kind, (state.at[0], state.at[1], z), line)


def _to(state: State, kind: str, end: Place, line: int) -> Deed:
    start = state.at
    state.at, state.moved = end, True
    feed = state.feed if kind == "feed" else 0.0
    return Deed(kind, line, start, end, feed=feed)  # type: ignore[arg-type]
