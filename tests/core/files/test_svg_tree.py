"""An SVG's tree without uses, symbols and pages within pages."""

from __future__ import annotations

from xml.etree import ElementTree

import numpy as np
import pytest

from silhueta.core.files.svg_read import read_svg
from silhueta.core.files.svg_tree import kind_of, unfold, view_box
from silhueta.core.geometry.measure import bounding_box

LINK = 'xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink"'


def tree(body: str, head: str = 'width="100" height="50"'):
    root = ElementTree.fromstring(f"<svg {LINK} {head}>{body}</svg>")
    unfold(root)
    return root


def kinds(root) -> list[str]:
    return [kind_of(element) for element in root.iter()]


def test_what_is_used_is_there_as_often_as_it_is_used():
    root = tree(
        '<defs><rect id="a" width="4" height="4"/></defs>'
        '<use xlink:href="#a" x="10"/><g transform="scale(2)"><use href="#a" y="7"/></g>'
    )
    assert kinds(root).count("rect") == 3
    assert "use" not in kinds(root)
    moved = [g.get("transform") for g in root.iter() if kind_of(g) == "g"]
    assert moved == ["translate(10.0 0.0)", "scale(2)", "translate(0.0 7.0)"]


def test_a_use_of_nothing_is_nothing():
    root = tree('<use xlink:href="#none"/><use/><rect width="3" height="3"/>')
    assert kinds(root).count("rect") == 1


@pytest.mark.parametrize(
    ("how", "left", "scale"),
    [
        ("xMidYMid meet", 25.0, 5.0),
        ("xMinYMid", 0.0, 5.0),
        ("xMaxYMax meet", 50.0, 5.0),
        ("xMidYMid slice", 0.0, 10.0),
        ("none", 0.0, 10.0),
        ("nonsense", 25.0, 5.0),
    ],
)
def test_a_page_within_a_page_is_fitted_as_it_says(how, left, scale):
    # SVG 1.1, section 7.8: a view box of 10 x 10 on a page of 100 x 50
    root = tree(
        f'<svg viewBox="0 0 10 10" preserveAspectRatio="{how}">'
        '<rect x="0" y="0" width="10" height="1" fill="red"/></svg>'
    )
    text = ElementTree.tostring(root)
    (path,) = read_svg(text, "x.svg").paths
    box = np.array(bounding_box([path])) * 96 / 25.4
    assert box[0] == pytest.approx(left)
    assert box[2] - box[0] == pytest.approx(10 * scale)


@pytest.mark.parametrize("box", ["", "0 0 10", "0 0 0 10", "a b c d", "0 0 -5 5", "1e999"])
def test_a_view_box_that_is_none_is_none(box):
    assert view_box(ElementTree.fromstring(f'<svg viewBox="{box}"/>')) is None
    assert view_box(ElementTree.fromstring('<svg viewBox=" 1,2 3,4 "/>')) == (1, 2, 3, 4)


def test_a_page_s_own_place_is_not_handed_down():
    page = f'<svg {LINK} x="30" y="20" width="96" height="96">'
    (path,) = read_svg(f'{page}<rect width="96" height="48"/></svg>'.encode(), "x.svg").paths
    assert bounding_box([path]) == pytest.approx((0, 12.7, 25.4, 25.4))
