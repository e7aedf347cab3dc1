"""The first job of Oficina Maré Alta: the capstan gasket plate, scanned at 300 dpi.

The plate is drawn from exact arcs: six bosses round the bolt holes, joined by hollow arcs tangent
to them, a large bore in the middle. What the scan shows is therefore known to the last digit.
"""

from __future__ import annotations

import io
import math
from pathlib import Path as File

import numpy as np

from silhueta.core.datums import DpiDatum
from silhueta.core.geometry.flatten import flatten
from silhueta.core.geometry.path import ARC, Loop, circle_loop, reverse
from silhueta.core.geometry.transform import transform
from silhueta.core.job import Job, PictureFile, TraceSettings
from silhueta.core.picture.light import light_table, stored_of
from silhueta.demo.render import coverage

BOLT_CIRCLE_MM = 44.0  # radius
BOSS_MM = 12.0  # radius
HOLLOW_MM = 30.0  # radius
BORE_MM = 52.0  # diameter
BOLT_MM = 9.0  # diameter
DPI = 300
PAPER_MM = (150.0, 130.0)
TURN_DEGREES = 1.3  # how crooked the plate lay on the glass
PICTURE = File(__file__).parent / "capstan_gasket.png"


def gasket() -> list[Loop]:
    """Return the true outline in mm, centred on the bore: the outer loop, the bore, six holes."""
    middle = math.cos(math.pi / 6) * BOLT_CIRCLE_MM
    reach = BOSS_MM + HOLLOW_MM
    hollow_at = middle + math.sqrt(middle**2 - BOLT_CIRCLE_MM**2 + reach**2)
    nodes = []
    for k in range(6):
        boss = BOLT_CIRCLE_MM * _ray(60 * k)
        for side in (-30, 30):
            nodes.append(boss + (hollow_at * _ray(60 * k + side) - boss) * (BOSS_MM / reach))
    turn = _angle(nodes[0] - BOLT_CIRCLE_MM * _ray(0), nodes[1] - BOLT_CIRCLE_MM * _ray(0))
    hollow = _angle(nodes[1] - hollow_at * _ray(30), nodes[2] - hollow_at * _ray(30))
    bulges = np.tile([math.tan(turn / 4), math.tan(hollow / 4)], 6)
    outer = Loop(np.array(nodes), np.full(12, ARC, np.uint8), bulges)
    holes = [circle_loop((0, 0), BORE_MM / 2)]
    holes += [circle_loop(BOLT_CIRCLE_MM * _ray(60 * k), BOLT_MM / 2) for k in range(6)]
    return [outer, *(Loop(*_arrays(hole)) for hole in holes)]


def scan() -> np.ndarray:
    """Return the scan, (H, W) uint8: paper grain, dust, an uneven dark plate, a soft lens."""
    from scipy.ndimage import gaussian_filter

    rng = np.random.default_rng(1906)
    size = [round(side / 25.4 * DPI) for side in PAPER_MM]
    width, height = size
    turn = math.radians(TURN_DEGREES)
    spin = np.array([[math.cos(turn), -math.sin(turn)], [math.sin(turn), math.cos(turn)]])
    per_mm = DPI / 25.4
    outlines = []
    for loop in gasket():
        points = flatten(transform(loop, spin), 1e-4) * per_mm
        outlines.append(points * [1, -1] + [width / 2, height / 2])
    plate = coverage(outlines, width, height)
    paper = 236 + 5 * gaussian_filter(rng.standard_normal((height, width)), 1.2)
    metal = 58 + 9 * gaussian_filter(rng.standard_normal((height, width)), 2.5) * 5
    light = light_table().astype(np.float64) / 255
    paper, metal = (light[np.clip(np.round(one), 0, 255).astype(int)] for one in (paper, metal))
    seen = paper * (1 - plate) + metal * plate
    dust = np.zeros((height, width))
    for _ in range(46):
        x, y, radius = rng.uniform(8, width - 8), rng.uniform(8, height - 8), rng.uniform(0.8, 3.0)
        spot = np.column_stack(
            [np.cos(np.arange(12) * np.pi / 6), np.sin(np.arange(12) * np.pi / 6)]
        )
        spot *= radius * rng.uniform(0.6, 1.2, (12, 1))
        dust += coverage([spot + [x, y]], width, height)
    seen *= 1 - 0.8 * np.clip(dust, 0, 1) * (1 - plate)
    stored = 255 * stored_of(gaussian_filter(seen, 0.7))
    return np.clip(np.round(stored / 2) * 2, 0, 255).astype(np.uint8)


def gasket_job() -> Job:
    """Return the demo job as it comes from the scanner: a picture and its dpi, not traced yet."""
    return Job(
        name="Capstan gasket",
        picture=PictureFile(PICTURE.read_bytes(), PICTURE.name),
        datums=(DpiDatum(float(DPI), "file"),),
        trace=TraceSettings(speck=1.0, read="solid"),
    )


def draw() -> None:
    """Write the scan beside this file."""
    from PIL import Image

    stream = io.BytesIO()
    Image.fromarray(scan()).save(stream, "PNG", dpi=(DPI, DPI), optimize=True)
    PICTURE.write_bytes(stream.getvalue())


def _ray(degrees: float) -> np.ndarray:
    return np.array([math.cos(math.radians(degrees)), math.sin(math.radians(degrees))])


def _angle(start: np.ndarray, end: np.ndarray) -> float:
    return math.atan2(start[0] * end[1] - start[1] * end[0], float(start @ end))


def _arrays(loop: Loop) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    turned = reverse(loop)
    return turned.nodes, turned.kinds, turned.bulges


if __name__ == "__main__":
    draw()
