"""Photos of a thick plate with round holes, seen by OpenCV's camera as it leans."""

import io
from functools import cache

import cv2
import numpy as np
from PIL import Image
from scipy.ndimage import gaussian_filter

from silhueta.core.datums import LengthDatum

WIDE, HIGH, THICK = 170.0, 110.0, 5.0  # mm
ROUNDS = ((0.0, 0.0, 20.0), *((x, y, 8.0) for x in (-65.0, 65.0) for y in (-35.0, 35.0)))
PIXELS, FOCAL35, AWAY = (1600, 1200), 26.0, 270.0
FINER = 4
DARK, BRIGHT = (0.75, 0.06, 0.04), (0.08, 0.5, 0.25)  # light of ground, face and walls
DATUM = np.array([[-100.0, -75.0, 0.0], [100.0, -75.0, 0.0]])


def seen(points: np.ndarray, lean: float, way: float) -> np.ndarray:
    """Return where points (N, 3), mm, lie in a photo whose camera leans by so many degrees."""
    focal = FOCAL35 / 43.2666 * np.hypot(*PIXELS)
    lens = np.array([[focal, 0, PIXELS[0] / 2], [0, focal, PIXELS[1] / 2], [0, 0, 1.0]])
    axis = np.radians(lean) * np.array([np.cos(np.radians(way)), np.sin(np.radians(way)), 0.0])
    down = np.diag([1.0, -1.0, -1.0])  # looks down, the picture's rows towards y
    turn = cv2.Rodrigues(axis)[0] @ down
    eye = turn.T @ np.array([0.0, 0.0, -AWAY])  # aims at the plate's middle
    return cv2.projectPoints(points, cv2.Rodrigues(turn)[0], -turn @ eye, lens, None)[0][:, 0]


@cache
def photo(light: tuple[float, float, float], lean: float, rounds=ROUNDS) -> bytes:
    """Return the file of a photo of a plate with square corners and round holes."""
    ground, face, wall = light

    def filled(outline: np.ndarray, height: float) -> np.ndarray:
        lifted = np.column_stack([outline, np.full(len(outline), height)])
        places = seen(lifted, lean, 35.0) * FINER - 0.5
        mask = np.zeros((PIXELS[1] * FINER, PIXELS[0] * FINER), np.uint8)
        return cv2.fillPoly(mask, [np.round(places * 256).astype(np.int32)], 1, shift=8) > 0

    box = np.array([[-WIDE, -HIGH], [WIDE, -HIGH], [WIDE, HIGH], [-WIDE, HIGH]]) / 2
    turn = np.linspace(0, 2 * np.pi, 720, endpoint=False)
    shown = np.full((PIXELS[1] * FINER, PIXELS[0] * FINER), ground, np.float32)
    for height in np.linspace(0.0, THICK, 12):  # walls outside
        shown[filled(box, height)] = wall
    shown[filled(box, THICK)] = face
    for x, y, radius in rounds:
        round_ = np.column_stack([x + radius * np.cos(turn), y + radius * np.sin(turn)])
        rim, foot = filled(round_, THICK), filled(round_, 0.0)
        shown[rim] = wall
        shown[rim & foot] = ground
    picture = cv2.resize(shown, PIXELS, interpolation=cv2.INTER_AREA)
    picture = gaussian_filter(picture, 0.8) + np.random.default_rng(5).normal(
        0, 0.004, PIXELS[::-1]
    )
    stored = np.where(picture < 0.0031308, 12.92 * picture, 1.055 * picture ** (1 / 2.4) - 0.055)
    exif = Image.Exif()
    exif.get_ifd(0x8769)[0xA405] = round(FOCAL35)
    kept = io.BytesIO()
    image = Image.fromarray(np.clip(255 * stored, 0, 255).round().astype(np.uint8))
    image.save(kept, "PNG", exif=exif)
    return kept.getvalue()


def datum(lean: float) -> LengthDatum:
    """Return 200 mm beside the plate, as such a photo shows them."""
    (a, b), (c, d) = seen(DATUM, lean, 35.0).tolist()
    return LengthDatum((a, b), (c, d), 200.0)
