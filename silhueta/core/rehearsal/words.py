"""What a rehearsal comes to, in words for people."""

from __future__ import annotations

from silhueta.core.rehearsal.event import Rehearsed
from silhueta.core.wording import counted

NAMES: dict[str, str] = {
    "not-understood": "Not understood",
    "freed-early": "Free too early",
    "cut-again": "Cut once more",
    "cuts-part": "Cuts into the part",
    "missed": "Left uncut",
    "rapid-in-material": "Rapid inside the sheet",
    "no-pierce": "Would cut, and is off",
    "left-on": "Left on",
    "unit-suspect": "mm or inches?",
    "off-bed": "Larger than the bed",
    "over-depth": "Deeper than planned",
    "off-sheet": "Off the sheet",
    "over-feed": "Faster than the machine",
    "into-bed": "Into what lies below",
    "clamp": "Near the clamps",
    "tip-up": "May tip up",
}


def verdict(done: Rehearsed, held: bool) -> str:
    """Return in a sentence or two whether a file cuts what was meant.

    Parameters
    ----------
    done : Rehearsed
    held : bool
        Whether it was held against something.

    """
    stops = [one for one in done.events if one.severity == "stop"]
    others = len(done.events) - len(stops)
    more = f" {counted(others, 'event')} to look at." if others else ""
    if stops:
        first = stops[0]
        left = len(stops) - 1
        rest = f", and {counted(left, 'event')} more as bad" if left else ""
        name = NAMES[first.code].rstrip("?")
        return f"Not what was meant: {name[0].lower()}{name[1:]}, line {first.line}{rest}.{more}"
    if not held:
        return f"It runs through; nothing was there to hold it against.{more}"
    off = ""
    if done.deviation is not None:
        off = f", {_small(done.deviation)} off at most"
        beyond = done.beyond_radius
        if beyond is not None and done.deviation - beyond > 0.02:
            off += f" where the tool leaves an inner corner round, elsewhere {_small(beyond)}"
    if done.depth_off is not None:
        off += f", pockets {_small(done.depth_off)} off their depth"
    return f"Cuts what was meant{off}.{more}"


def _small(mm: float) -> str:
    """Return a deviation for people, who can cut or feel no less than a hundredth."""
    return f"{mm:.2f} mm" if mm >= 0.01 else "under 0.01 mm"
