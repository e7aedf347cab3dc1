"""An ID-1 card among things of its shape: ISO/IEC 7810:2019, 5.1, 85.60 x 53.98 mm, radius 3.18."""

import cv2
import numpy as np
import pytest

from silhueta.core.datum.look_for import look_for_any, look_for_sheet
from silhueta.core.datum.sheets import SIZES
from silhueta.core.errors import ScaleError
from silhueta.core.picture.decode import Picture

PX = 5.0  # a mm
CARD = (85.60, 53.98)


def rounded(size: tuple[float, float], radius: float) -> np.ndarray:
    wide, high = np.array(size) / 2 - radius
    turn = np.linspace(0, np.pi / 2, 12)
    arcs = []
    for k, (x, y) in enumerate([(wide, high), (-wide, high), (-wide, -high), (wide, -high)]):
        angle = turn + k * np.pi / 2
        arcs.append(radius * np.column_stack([np.cos(angle), np.sin(angle)]) + (x, y))
    return np.vstack(arcs)


def photo(*things: tuple[np.ndarray, tuple[float, float], float]) -> Picture:
    """Light things on a dark bench, seen from straight above by a phone; light adds up."""
    light = np.full((1200, 1600), 0.04)
    for outline, (x, y), turn in things:
        c, s = np.cos(turn), np.sin(turn)
        px = outline @ np.array([[c, s], [-s, c]]) * PX + (x, y)
        fine = np.zeros((8 * light.shape[0], 8 * light.shape[1]), np.uint8)
        cv2.fillPoly(fine, [np.round(8 * px - 0.5).astype(np.int32)], 255)
        shape = cv2.resize(fine, light.shape[::-1], interpolation=cv2.INTER_AREA)
        light += (0.75 - light) * (shape / 255.0)
    light = np.clip(cv2.GaussianBlur(light, (0, 0), 0.9), 0, 1)
    grey = 255 * (1.055 * light ** (1 / 2.4) - 0.055)  # IEC 61966-2-1
    grey += np.random.default_rng(4).normal(0, 2, grey.shape)
    return Picture(np.clip(grey, 0, 255).astype(np.uint8), None, None, "JPEG", 26.0)


def colours(picture: Picture) -> np.ndarray:
    return np.repeat(picture.grey[:, :, None], 3, axis=2)


def cut(size: tuple[float, float]) -> np.ndarray:
    """A plate of a card's proportions, one corner of it cut off."""
    wide, high = np.array(size) / 2
    outline = rounded(size, 4.0)
    keep = ~((outline[:, 0] > 0) & (outline[:, 1] > 0))
    return np.vstack([[(wide, high - 8.0), (wide - 12.0, high)], outline[keep]])


def test_a_card_alone_is_found_by_itself():
    picture = photo((rounded(CARD, 3.18), (800, 600), 0.2))
    found = look_for_any(picture, colours=colours(picture))
    assert found is not None
    assert found.name == "card"
    corners = np.array(found.corners)
    sides = np.hypot(*(np.roll(corners, -1, 0) - corners).T) / PX
    assert np.sort(sides) == pytest.approx([53.98, 53.98, 85.6, 85.6], abs=0.1)


@pytest.mark.parametrize("k1", [0.012, -0.012, -0.02])
def test_what_a_card_hardly_tells_of_the_lens_counts_for_what_it_is_worth(k1):
    x, y = np.moveaxis(np.mgrid[:1200, :1600].astype(np.float32), 0, 0)[::-1] + np.float32(0.5)
    light = photo((rounded(CARD, 3.18), (1150, 860), 0.3)).grey.astype(np.float32)
    focal = 26.0 * 2000.0 / 43.2666  # CIPA DCG-001: the diagonal of 36 x 24 mm
    far = np.hypot(x - 800, y - 600) / focal
    flat = far.copy()
    for _ in range(6):
        flat = far / (1 + k1 * flat**2)
    share = np.where(far > 0, flat / np.maximum(far, 1e-9), 1.0)
    at = 800 + (x - 800) * share - 0.5, 600 + (y - 600) * share - 0.5
    bent = cv2.remap(light, *(a.astype(np.float32) for a in at), cv2.INTER_CUBIC)
    bent += np.random.default_rng(1).normal(0, 12, bent.shape)
    seen = Picture(np.clip(bent, 0, 255).astype(np.uint8), None, None, "JPEG", 26.0)
    found = look_for_sheet(seen, "card", CARD, colours=colours(seen))
    told = found.bend / (1000.0 / focal) ** 2, found.bend_sigma / (1000.0 / focal) ** 2
    assert told[0] == pytest.approx(k1, abs=3 * told[1])
    assert told[0] / k1 > 0.4  # not left out because it is no proof
    assert told[1] < 0.02


def test_a_plate_of_its_proportions_is_not_taken_for_the_card_beside_it():
    picture = photo((cut((100.0, 63.06)), (420, 350), 0.0), (rounded(CARD, 3.18), (1200, 850), 0.3))
    found = look_for_sheet(picture, "card", SIZES["card"], None, colours(picture))
    middle = np.array(found.corners).mean(0)
    assert np.hypot(*(middle - (1200, 850))) < 3


def test_a_plate_with_sharp_corners_alone_is_no_card():
    wide, high = np.array(CARD) / 2
    square = np.array([(wide, high), (-wide, high), (-wide, -high), (wide, -high)])
    picture = photo((square, (800, 600), 0.1))
    with pytest.raises(ScaleError, match="may be the part"):
        look_for_sheet(picture, "card", SIZES["card"], None, colours(picture))


def test_two_cards_are_asked_about():
    picture = photo((rounded(CARD, 3.18), (420, 350), 0.0), (rounded(CARD, 3.18), (1200, 850), 0.0))
    with pytest.raises(ScaleError, match="two sheets"):
        look_for_sheet(picture, "card", SIZES["card"], None, colours(picture))
