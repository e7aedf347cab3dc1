"""Compile everything that a first trace, tidying or file needs, so that no user waits for it."""

from __future__ import annotations

import io

import numpy as np
import shapely
from numpy.typing import NDArray

from silhueta.core.cutting.program import Motion
from silhueta.core.cutting.route import shortest
from silhueta.core.cutting.timing import times
from silhueta.core.datum.scale import Scale
from silhueta.core.datums import PixelDatum
from silhueta.core.fitting.roundings import Tied, with_roundings
from silhueta.core.geometry.biarcs import with_arcs
from silhueta.core.geometry.path import CUBIC, LINE, Loop, OpenPath
from silhueta.core.geometry.region.region import united
from silhueta.core.job import PictureFile, TraceSettings
from silhueta.core.picture.decode import Picture, decode
from silhueta.core.rehearsal.bench import Bench, Field
from silhueta.core.rehearsal.course import Carving
from silhueta.core.rehearsal.rehearse import course_of
from silhueta.core.rehearsal.relief import shaded
from silhueta.core.rehearsal.steps import of_program
from silhueta.core.shop.machines import shipped_machines
from silhueta.core.tidy.offers.thin import thinned
from silhueta.core.trace.edge.contours import contours
from silhueta.core.trace.edge.field import colour_field
from silhueta.core.trace.part.border import Sight, border
from silhueta.core.trace.part.looks import Seen, grounds_of, looks_of
from silhueta.core.trace.trace import trace, trace_colours


def main() -> None:
    """Trace a small square with a hole: in 8 and in 16 bits, as pen line, by its colours."""
    grey = np.full((96, 96), 250, np.uint8)
    grey[8:88, 8:88] = 20
    grey[14:82, 14:82] = 250
    plain = TraceSettings(speck=0.0)
    runs = (
        (grey, plain),
        (grey.astype(np.uint16) * 257, plain),
        (grey, TraceSettings(speck=0.0, mode="local", fit="curves")),
        (grey, TraceSettings(speck=0.0, pen="centre")),
    )
    for picture, settings in runs:
        trace(_read(picture), PixelDatum(0.1), settings)
    contours(grey, 127.5)  # as a part's mask comes, which was never a file
    cut = grey.copy()
    cut[30:40] = 250  # two open lines
    trace(_read(cut), PixelDatum(0.1), TraceSettings(speck=0, pen="centre"))
    colours = np.repeat(grey[:, :, None], 3, axis=2)
    colours[40:60, 8:60] = (200, 30, 30)
    colour_field(colours, [(200, 30, 30)])
    for writeable in (True, False):  # out of a cleaned picture, and out of a file
        colours.flags.writeable = writeable
        trace_colours(colours, Scale(0.1, 96, "pixel"), TraceSettings(speck=0.0, split=3))
    turn = np.linspace(0, 2 * np.pi, 600, endpoint=False)
    ring = 95 * np.column_stack([np.cos(turn), np.sin(turn)])
    stops, sharp = np.arange(0, 601, 100), np.zeros(6, np.bool_)
    with_roundings(Tied(ring, stops, ring[::100] / 0.95, np.zeros(6), sharp), 1.0, 1.6)
    light = np.repeat(grey[:, :, None], 3, axis=2).astype(np.float32) / np.float32(255)
    turn = np.linspace(0, 2 * np.pi, 200, endpoint=False)
    ring = 48 + 30 * np.column_stack([np.cos(turn), -np.sin(turn)])
    leaning = np.asarray(4 - 8 * light[:, :, 0], np.float32)
    border(ring, Sight(light, leaning, 1.0, 0.1, None))
    everywhere = np.ones(light.shape[:2], bool)
    still = np.zeros(light.shape[:2], np.float32)
    seen = Seen(light, still, everywhere, everywhere, ~everywhere, 0.5, 0.0, still)
    looks_of(seen, grounds_of(seen))
    angle = np.linspace(0, 6, 60)
    ragged = np.column_stack([np.cos(angle), np.sin(angle) + 0.3 * np.cos(3 * angle)])
    for path in (Loop(ragged), OpenPath(ragged)):
        thinned(path, 0.01)
    curve = Loop(
        np.array([[0.0, 0.0], [9.0, 0.0]]),
        np.array([CUBIC, LINE], np.uint8),
        np.zeros(2),
        np.array([[[3.0, 8.0], [6.0, 8.0]], [[0.0, 0.0], [0.0, 0.0]]]),
    )
    united([curve], [Loop(ragged)])
    with_arcs(curve, 0.01)
    shortest(np.zeros(2), ragged, ragged)
    machine = shipped_machines()[0]
    along = np.column_stack([ragged, np.zeros(len(ragged))])
    along_it = Motion("cut", along, np.zeros(len(along) - 1), 1000.0)
    times([Motion("rapid", along[:2], np.zeros(1)), along_it], machine)
    _rehearsed()


def _rehearsed() -> None:
    """Rehearse a pocket, and look at it in the middle."""
    text = "G21 G17 G90 G94\nT1 M6\nM3\nG0 X0 Y0 Z1\nG1 Z-1 F300\nG1 X5\nG3 X0 Y5 I-5 J0\nM5\nM2\n"
    field = Field(shapely.box(-1, -1, 6, 6), 1.0, True, 0.5)
    bench = Bench(
        "router", 1.0, thickness=3.0, wanted=(shapely.box(-9, -9, 9, 9),), fields=(field,)
    )
    course = course_of(of_program(text), bench)
    heights = Carving(course, (-2.0, -2.0, 8.0, 8.0)).at(course.seconds / 2)
    shaded(heights.heights(), heights.cell, 3.0)


def _read(grey: NDArray[np.uint8] | NDArray[np.uint16]) -> Picture:
    """Return a picture as it comes out of a file: what is compiled depends on how it is held."""
    from PIL import Image

    stream = io.BytesIO()
    Image.fromarray(grey).save(stream, "PNG")
    return decode(PictureFile(stream.getvalue(), "warm.png"))


if __name__ == "__main__":
    main()
