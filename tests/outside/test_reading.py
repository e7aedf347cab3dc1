"""What pictures are taken for: pictures that scikit-image carries, what they show seen by eye."""

import io

import numpy as np
import pytest
import skimage.data
from PIL import Image

from silhueta.core.datums import PixelDatum
from silhueta.core.job import Job, PictureFile, TraceSettings
from silhueta.core.picture.decode import decode, decode_colour
from silhueta.core.trace.job_trace import trace_job
from silhueta.core.trace.light import light_of
from silhueta.core.trace.reading import as_read, reading_of, settings_of


def kept(name: str) -> PictureFile:
    values = getattr(skimage.data, name)()
    if values.dtype == bool:
        values = values.astype(np.uint8) * 255
    stored = io.BytesIO()
    Image.fromarray(values).save(stored, "PNG")
    return PictureFile(stored.getvalue(), f"{name}.png")


@pytest.mark.parametrize(
    ("name", "kind"),
    [
        ("page", "solid"),  # a printed page, dark letters of all widths
        ("text", "line"),  # a few words in strokes of one width
        ("horse", "solid"),  # a black silhouette
        ("checkerboard", "solid"),
        ("logo", "colours"),
        ("coffee", "part"),  # a cup on a table
        ("gravel", "part"),
        ("astronaut", "part"),
    ],
)
def test_pictures_of_others_are_read_as_what_they_show(name, kind):
    file = kept(name)
    assert reading_of(decode(file), decode_colour(file)).kind == kind


def test_what_a_program_drew_is_told_from_what_a_camera_saw():
    assert light_of(decode(kept("horse"))) == "stored"
    assert light_of(decode(kept("checkerboard"))) == "stored"
    assert light_of(decode(kept("coffee"))) == "linear"
    assert light_of(decode(kept("coins"))) == "linear"


def test_a_person_may_read_it_otherwise_and_the_rest_follows():
    file = kept("horse")
    reading = reading_of(decode(file), decode_colour(file))
    plain = TraceSettings(speck=3.0, tolerance=0.2)
    solid = settings_of(reading, plain)
    assert (solid.read, solid.mode, solid.invert, solid.pen) == ("solid", "threshold", False, None)
    line = settings_of(as_read("line", reading), solid)
    assert (line.read, line.pen) == ("line", "centre")
    part = settings_of(as_read("part", reading), line)
    assert (part.mode, part.pen) == ("part", None)
    assert (part.speck, part.tolerance) == (3.0, 0.2)  # what is not the reading's stays


def test_the_horse_is_traced_as_one_piece_after_its_reading():
    file = kept("horse")
    picture = decode(file)
    settings = settings_of(reading_of(picture, decode_colour(file)), TraceSettings(speck=20.0))
    job = Job(picture=file, datums=(PixelDatum(1.0),), trace=settings)
    outline = trace_job(job, picture).job.outline
    assert len(outline.contours) == 1
