"""The same hand as in the tests of the window; actions are counted."""

import pytest

from tests.app.conftest import hand

__all__ = ["act", "hand"]


@pytest.fixture
def act(hand):
    """Do something by mouse or key, wait until it is done, and note it."""
    done = []

    def do(name, what, *arguments):
        done.append(name)
        what(*arguments)
        hand.settle()
        hand.settle()

    do.done = done
    return do
