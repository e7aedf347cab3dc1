"""SVG files against the pictures that resvg makes of them: every shape under every transform.

W3C SVG 1.1 (Second Edition), chapters 5 (structure), 7 (coordinate systems) and 9 (basic shapes).
"""

from __future__ import annotations

import pytest

from benchmarks.clipart import compared, rendered
from silhueta.core.files.drawing_open import on_page
from silhueta.core.files.svg_read import read_svg

SHAPES = {
    "rect": '<rect x="30" y="35" width="25" height="12"/>',
    "rounded": '<rect x="30" y="35" width="25" height="12" rx="4"/>',
    "oval corners": '<rect x="30" y="35" width="25" height="12" rx="6" ry="3"/>',
    "circle": '<circle cx="42" cy="40" r="9"/>',
    "ellipse": '<ellipse cx="42" cy="40" rx="13" ry="6"/>',
    "polygon": '<polygon points="30,35 55,38 44,50 35,44"/>',
    "path": '<path d="M30 40 a8 8 0 0 1 16 0 q4 8 9 2 c2 3 1 8 -4 8 z"/>',
    "oval arc": '<path d="M30 40 a12 6 20 1 1 20 5 l-9 8 z"/>',
}
TRANSFORMS = {
    "none": "",
    "turned": "rotate(30 40 40)",
    "mirrored": "translate(90 0) scale(-1 1)",
    "skewed": "skewX(20) translate(-12 0)",
    "stretched": "scale(1.4 0.7) translate(-5 14)",
    "both": "rotate(-40 40 40) scale(0.7 1.2) translate(18 -4) skewY(15)",
}
HEADS = {
    "plain": 'width="100mm" height="100mm" viewBox="0 0 100 100"',
    "moved": 'width="60mm" height="60mm" viewBox="10 15 75 75"',
    "odd": 'width="120mm" height="60mm" viewBox="0 0 100 100"',
    "slice": 'width="120mm" height="90mm" viewBox="0 0 100 100" '
    'preserveAspectRatio="xMidYMid slice"',
    "stretch": 'width="120mm" height="90mm" viewBox="0 0 100 100" preserveAspectRatio="none"',
    "inch": 'width="3in" height="3in" viewBox="0 0 100 100"',
}


def looks_right(head: str, body: str) -> tuple[float, float]:
    text = (
        '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" '
        f"{head}>{body}</svg>"
    )
    picture = rendered(text.encode())
    found = on_page(read_svg(text.encode(), "x.svg"))
    assert picture is not None
    assert found.frame is not None
    return compared(picture, found.outline, found.frame)


@pytest.mark.parametrize("transform", TRANSFORMS)
@pytest.mark.parametrize("shape", SHAPES)
def test_every_shape_lies_where_it_is_drawn(shape, transform):
    body = f'<g fill="black" transform="{TRANSFORMS[transform]}">{SHAPES[shape]}</g>'
    own = SHAPES[shape].replace("/>", f' fill="#000" transform="{TRANSFORMS[transform]}"/>')
    for each in (body, own):
        assert max(looks_right(HEADS["plain"], each)) < 0.005


@pytest.mark.parametrize("head", HEADS)
def test_the_page_is_honoured(head):
    both = '<g fill="black">' + SHAPES["rect"] + SHAPES["path"].replace("M30 40", "M50 60") + "</g>"
    assert max(looks_right(HEADS[head], both)) < 0.005


USES = {
    "use": '<defs><circle id="a" cx="5" cy="5" r="9"/></defs>'
    '<use xlink:href="#a" x="30" y="30" fill="black" transform="rotate(20)"/>',
    "symbol": '<symbol id="a" viewBox="0 0 10 10"><rect width="10" height="6" fill="black"/>'
    "</symbol>"
    '<use xlink:href="#a" x="20" y="30" width="40" height="40"/>',
    "use of a box": '<defs><rect id="a" width="9" height="5"/></defs>'
    '<g fill="black"><use xlink:href="#a" x="30" y="30"/><use xlink:href="#a" x="60%" y="9"/></g>',
    "use of a use": '<g fill="black"><circle id="a" cx="20" cy="20" r="9"/><g id="b">'
    '<use xlink:href="#a" x="25" transform="scale(0.5)"/></g><use xlink:href="#b" y="40"/></g>',
    "box nested": '<svg x="20" y="20" width="50%" height="40" viewBox="-5 0 10 10" '
    'preserveAspectRatio="xMaxYMin"><rect width="4" height="3" fill="black"/></svg>',
    "nested": '<svg x="20" y="20" width="40" height="40" viewBox="0 0 10 10">'
    '<circle cx="5" cy="5" r="4" fill="black"/></svg>',
    "percent": '<rect x="20%" y="30%" width="40%" height="15%" fill="black"/>',
    "style": '<style>.b { fill: black } #c { fill: none }</style><rect class="b" x="30" y="30" '
    'width="9" height="30"/><rect id="c" x="60" y="30" width="9" height="30"/>',
    "inherited": '<g fill="none"><g fill="black"><rect x="30" y="30" width="9" height="30"/>'
    "</g></g>",
}


@pytest.mark.parametrize("use", USES)
def test_what_is_used_nested_or_styled_lies_where_it_is_drawn(use):
    assert max(looks_right(HEADS["plain"], USES[use])) < 0.005
