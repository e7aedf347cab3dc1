"""The stops in the order of the way through the shop. A new one is a folder, and a line here."""

from __future__ import annotations

from silhueta.app.stops.build.stop import BUILD
from silhueta.app.stops.cut_file.stop import CUT_FILE
from silhueta.app.stops.inspect.stop import INSPECT
from silhueta.app.stops.picture.stop import PICTURE
from silhueta.app.stops.scale.stop import SCALE
from silhueta.app.stops.stop import Stop
from silhueta.app.stops.tidy.stop import TIDY
from silhueta.app.stops.trace.stop import TRACE
from silhueta.app.stops.true_up.stop import TRUE_UP

STOPS: tuple[Stop, ...] = (PICTURE, SCALE, TRACE, TIDY, TRUE_UP, BUILD, INSPECT, CUT_FILE)


def stop_of(key: str) -> Stop:
    """Return the stop of that key."""
    return next(stop for stop in STOPS if stop.key == key)


def key_of(stop: Stop) -> str:
    """Return the key that leads to a stop: Alt and its place."""
    return f"Alt+{STOPS.index(stop) + 1}"


def following(stop: Stop) -> Stop | None:
    """Return the stop that comes after one; None after the last."""
    place = STOPS.index(stop) + 1
    return STOPS[place] if place < len(STOPS) else None
