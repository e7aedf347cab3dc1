"""A stop of the way through the shop, declared in one place."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from silhueta.app.actions import Action
from silhueta.app.look.icons import Icon
from silhueta.core.job import Job

if TYPE_CHECKING:
    from silhueta.app.stops.worksheet import Worksheet
    from silhueta.app.window import Window


@dataclass(frozen=True)
class StopState:
    """How a stop stands: its result in one line, and whether it is done or needs a person."""

    result: str
    done: bool = False
    wanted: int = 0  # things that need a person


def no_actions(_: Window) -> tuple[Action, ...]:
    """Return no action: a stop without any of its own."""
    return ()


@dataclass(frozen=True)
class Stop:
    """What the window needs to know of a stop; the order of `route.STOPS` says what comes next.

    Parameters
    ----------
    key : str
    title : str
    question : str
        What its worksheet asks.
    icon : Icon
    state : callable
        Works out from the job how the stop stands.
    make : callable
        Makes the worksheet, on the first visit. What it imports is loaded only then.
    photo : bool
        Whether the table shows the photo as it was taken, and not the picture at true size.
    datums : bool
        Whether the table shows what fixes the scale.
    actions : callable
        Returns what can be done there, for menus, keys and Find an action.

    """

    key: str
    title: str
    question: str
    icon: Icon
    state: Callable[[Job], StopState]
    make: Callable[[Window], Worksheet]
    photo: bool = False
    datums: bool = False
    actions: Callable[[Window], tuple[Action, ...]] = no_actions
