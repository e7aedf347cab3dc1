"""A fault planted in a copy of each demo job is found, explained, and mended in one click."""

import numpy as np
import pytest

from silhueta.app.inspecting import found_in
from silhueta.core.build.edits import put
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.measure import area_of
from silhueta.core.geometry.path import circle_loop
from silhueta.core.inspect_settings import Limits
from silhueta.core.job import set_inspect
from tests.conftest import hole
from tests.journeys.conftest import inspected


def below_the_top(hand, radius, web):
    """A round hole under the highest place of the largest loop, so far from its edge."""
    loops = hand.window.session.job.outline.loops
    points = flatten(max(loops, key=lambda loop: abs(area_of(loop))), 0.02)
    x, y = points[int(np.argmax(points[:, 1]))].tolist()
    return hole(circle_loop((x, y - web - radius), radius))


@pytest.mark.parametrize("which", ["gasket", "strap", "cover", "heron"])
def test_a_planted_web_is_found_and_mended(hand, which):
    window = hand.window
    window.filing.open_demo(*(() if which == "gasket" else (which,)))
    hand.settle()
    hand.wait(lambda: found_in(window.session.job) is not None)
    window.session.apply("Limits", lambda job: set_inspect(job, Limits("laser", 1.0, 0.2, web=1.0)))
    before = inspected(hand)
    radius = 0.8 if which == "heron" else 2.0
    planted = below_the_top(hand, radius, 0.4)
    window.session.apply("A hole", lambda job: put(job, [planted]))
    assert sorted(inspected(hand)) == sorted([*before, "thin-web"])
    sheet = window.sheets["inspect"]
    place = next(k for k, one in enumerate(sheet.found) if one.code == "thin-web")
    hand.click(f"finding-{place + 1}")
    assert "0.40 mm wide, 1.00 mm are asked" in sheet.card.text.text()
    hand.click("next")
    hand.settle()
    assert sorted(inspected(hand)) == sorted(before)
