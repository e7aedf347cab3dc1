"""The same hand as in the tests of the window; actions are counted."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from silhueta.app.inspecting import found_in
from silhueta.app.planning import plan_of
from tests.app.conftest import hand

__all__ = ["act", "hand", "inspected", "inspected_from_anywhere", "planned"]


def inspected(hand):
    """Go to Inspect, wait for what is found, and return the codes of what would go wrong."""
    hand.key(Qt.Key.Key_7, Qt.KeyboardModifier.AltModifier)
    hand.wait(lambda: found_in(hand.window.session.job) is not None)
    hand.settle()
    found = found_in(hand.window.session.job).open
    shown = hand.window.sheets["inspect"].found
    assert len(shown) == len(found)
    return [one.code for one in found if one.severity != "look"]


def inspected_from_anywhere(hand):
    """Return what the Traveller says of Inspect, which nobody needs to visit for that."""
    hand.wait(lambda: found_in(hand.window.session.job) is not None)
    hand.settle()
    return hand.window.traveller.buttons["inspect"].toolTip().split("\n")[1]


def planned(hand, process, thickness="", tool="", material=""):
    """Go to Cut file, say how it is cut, and return the plan that is proposed whole."""
    hand.key(Qt.Key.Key_8, Qt.KeyboardModifier.AltModifier)
    hand.settle()
    page = hand.window.sheets["cut_file"].plan_page
    if not page.isVisible():
        hand.click("choice-plan")

    def choose(select, data):
        select.setFocus()
        way = select.findData(data) - select.currentIndex()
        for _ in range(abs(way)):
            QTest.keyClick(select, Qt.Key.Key_Down if way > 0 else Qt.Key.Key_Up)

    choose(page.held.process, process)
    hand.settle()
    for field, text in ((page.held.thickness, thickness), (page.held.tool, tool)):
        if text:
            hand.type(field, text)
    if material:
        choose(page.material, material)
    hand.wait(lambda: plan_of(hand.window.session.job) is not None)
    hand.settle()
    return plan_of(hand.window.session.job).plan


@pytest.fixture
def act(hand):
    """Do something by mouse or key, wait until it is done, and note it."""
    done = []

    def do(name, what, *arguments):
        done.append(name)
        came = what(*arguments)
        hand.settle()
        hand.settle()
        return came

    do.done = done
    return do
